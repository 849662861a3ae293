# Checks the links of the built web site: every file and every anchor that a page refers to must
# exist. Addresses elsewhere are not looked up.
root <- normalizePath(".build/site")
pages <- list.files(root, "[.]html$", recursive = TRUE, full.names = TRUE)
read <- function(page) xml2::read_html(page)
anchors <- new.env()
anchors_of <- function(page) {
  if (is.null(anchors[[page]]))
    anchors[[page]] <- xml2::xml_text(xml2::xml_find_all(read(page), "//@id | //a/@name"))
  anchors[[page]]
}
dead <- unlist(lapply(pages, function(page) {
  links <- xml2::xml_text(xml2::xml_find_all(read(page), "//a/@href | //img/@src | //link/@href"))
  links <- unique(links[!grepl("^([a-z]+:|//)", links, ignore.case = TRUE) & nzchar(links)])
  parts <- strsplit(paste0(links, " "), "#", fixed = TRUE)
  target <- trimws(vapply(parts, `[`, "", 1L))
  anchor <- trimws(vapply(parts, function(part) if (length(part) > 1L) part[2L] else "", ""))
  file <- ifelse(nzchar(target), file.path(ifelse(startsWith(target, "/"), root, dirname(page)),
                                           utils::URLdecode(sub("[?].*", "", target))), page)
  file <- ifelse(dir.exists(file), file.path(file, "index.html"), file)
  lost <- !file.exists(file)
  known <- mapply(function(one, name) {
    !nzchar(name) || !grepl("[.]html$", one) || !file.exists(one) ||
      utils::URLdecode(name) %in% anchors_of(one)
  }, file, anchor)
  wrong <- links[lost | !known]
  if (length(wrong)) paste0(substring(page, nchar(root) + 2L), " -> ", wrong)
}))
cat(dead, sep = "\n")
cat(length(pages), " pages, ", length(dead), " dead links\n", sep = "")
quit(save = "no", status = if (length(dead)) 1L else 0L)
