# Writes inst/report/template.docx: page size, styles, list levels and metadata of Word reports.
# Run from the package folder: Rscript data-raw/word-template.R

main <- "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\""
head <- "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n"
office <- "http://schemas.openxmlformats.org/officeDocument/2006"
package <- "http://schemas.openxmlformats.org/package/2006"
word_type <- "application/vnd.openxmlformats-officedocument.wordprocessingml."

# --- styles --------------------------------------------------------------------------------------

ink <- "1F2A33"
deep <- "1F3A5F"
slate <- "5B7189"

style <- function(id, name, paragraph = "", run = "", based = "Normal", following = NULL,
                  default = FALSE, outline = NULL) {
  paste0("<w:style w:type=\"paragraph\"", if (default) " w:default=\"1\"", " w:styleId=\"", id,
         "\"><w:name w:val=\"", name, "\"/>",
         if (!default) paste0("<w:basedOn w:val=\"", based, "\"/>"),
         if (!is.null(following)) paste0("<w:next w:val=\"", following, "\"/>"),
         "<w:qFormat/><w:pPr>", paragraph,
         if (!is.null(outline)) paste0("<w:outlineLvl w:val=\"", outline, "\"/>"),
         "</w:pPr><w:rPr>", run, "</w:rPr></w:style>")
}

# in twentieths of a point
spacing <- function(before, after, line = 276) {
  paste0("<w:spacing w:before=\"", before, "\" w:after=\"", after, "\" w:line=\"", line,
         "\" w:lineRule=\"auto\"/>")
}

letters_of <- function(points, bold = FALSE, italic = FALSE, colour = NULL, font = NULL) {
  paste0(if (!is.null(font))
           paste0("<w:rFonts w:ascii=\"", font, "\" w:hAnsi=\"", font, "\" w:cs=\"", font, "\"/>"),
         if (bold) "<w:b/>", if (italic) "<w:i/>",
         if (!is.null(colour)) paste0("<w:color w:val=\"", colour, "\"/>"),
         "<w:sz w:val=\"", 2 * points, "\"/><w:szCs w:val=\"", 2 * points, "\"/>")
}

heading_of <- function(level, points, colour) {
  style(paste0("Heading", level), paste("heading", level),
        paste0("<w:keepNext/><w:keepLines/>", spacing(320 - 40 * level, 80)),
        letters_of(points, bold = TRUE, colour = colour, font = "Arial"), following = "Normal",
        outline = level - 1L)
}

styles <- paste0(head, "<w:styles ", main, "><w:docDefaults><w:rPrDefault><w:rPr>",
  "<w:rFonts w:ascii=\"Times New Roman\" w:hAnsi=\"Times New Roman\"",
  " w:eastAsia=\"Times New Roman\" w:cs=\"Times New Roman\"/><w:sz w:val=\"22\"/>",
  "<w:szCs w:val=\"22\"/><w:lang w:val=\"en-GB\"/>",
  "</w:rPr></w:rPrDefault><w:pPrDefault/></w:docDefaults>",
  style("Normal", "Normal", spacing(0, 120), letters_of(11, colour = ink), default = TRUE),
  style("Title", "Title", paste0("<w:keepNext/>", spacing(0, 240)),
        letters_of(20, bold = TRUE, colour = deep, font = "Arial"), following = "Normal"),
  heading_of(1, 15, deep), heading_of(2, 12.5, slate), heading_of(3, 11, slate),
  style("Caption", "caption", paste0("<w:keepNext/><w:keepLines/>", spacing(200, 80, 252)),
        letters_of(11)),
  style("ListBullet", "List Bullet",
        paste0("<w:numPr><w:ilvl w:val=\"0\"/><w:numId w:val=\"1\"/></w:numPr>",
               spacing(0, 60), "<w:ind w:left=\"357\" w:hanging=\"357\"/><w:contextualSpacing/>")),
  style("TableText", "Table Text", spacing(20, 20, 240), letters_of(8.5)),
  style("Note", "Note", spacing(60, 200, 240), letters_of(9)),
  style("Figure", "Figure", paste0("<w:keepLines/>", spacing(0, 200, 240))),
  style("Code", "Code", paste0("<w:keepLines/>", spacing(60, 160, 240)),
        letters_of(8.5, font = "Courier New")),
  style("Caution", "Caution",
        paste0("<w:pBdr><w:left w:val=\"single\" w:sz=\"24\" w:space=\"6\" w:color=\"B8641B\"/>",
               "</w:pBdr>",
               spacing(80, 160), "<w:ind w:left=\"170\"/>")),
  "<w:style w:type=\"character\" w:default=\"1\" w:styleId=\"DefaultParagraphFont\">",
  "<w:name w:val=\"Default Paragraph Font\"/></w:style>",
  "<w:style w:type=\"table\" w:default=\"1\" w:styleId=\"TableNormal\">",
  "<w:name w:val=\"Normal Table\"/><w:tblPr><w:tblInd w:w=\"0\" w:type=\"dxa\"/><w:tblCellMar>",
  "<w:top w:w=\"0\" w:type=\"dxa\"/><w:left w:w=\"70\" w:type=\"dxa\"/>",
  "<w:bottom w:w=\"0\" w:type=\"dxa\"/><w:right w:w=\"70\" w:type=\"dxa\"/></w:tblCellMar>",
  "</w:tblPr>",
  "</w:style></w:styles>")

numbering <- paste0(head, "<w:numbering ", main, "><w:abstractNum w:abstractNumId=\"0\">",
  "<w:multiLevelType w:val=\"hybridMultilevel\"/><w:lvl w:ilvl=\"0\"><w:start w:val=\"1\"/>",
  "<w:numFmt w:val=\"bullet\"/><w:pStyle w:val=\"ListBullet\"/><w:lvlText w:val=\"\u2022\"/>",
  "<w:lvlJc w:val=\"left\"/><w:pPr><w:ind w:left=\"357\" w:hanging=\"357\"/></w:pPr></w:lvl>",
  "</w:abstractNum><w:num w:numId=\"1\"><w:abstractNumId w:val=\"0\"/></w:num></w:numbering>")

# --- the other parts -----------------------------------------------------------------------------

# A4 with margins of one inch
document <- paste0(head, "<w:document ", main, "><w:body><w:p/><w:sectPr>",
  "<w:pgSz w:w=\"11906\" w:h=\"16838\"/><w:pgMar w:top=\"1440\" w:right=\"1440\" w:bottom=\"1440\"",
  " w:left=\"1440\" w:header=\"708\" w:footer=\"708\" w:gutter=\"0\"/></w:sectPr></w:body>",
  "</w:document>")

settings <- paste0(head, "<w:settings ", main, "><w:compat><w:compatSetting",
  " w:name=\"compatibilityMode\" w:uri=\"http://schemas.microsoft.com/office/word\"",
  " w:val=\"15\"/></w:compat><w:themeFontLang w:val=\"en-GB\"/></w:settings>")

core <- paste0(head, "<cp:coreProperties xmlns:cp=\"", package, "/metadata/core-properties\"",
  " xmlns:dc=\"http://purl.org/dc/elements/1.1/\" xmlns:dcterms=\"http://purl.org/dc/terms/\"",
  " xmlns:dcmitype=\"http://purl.org/dc/dcmitype/\"",
  " xmlns:xsi=\"http://www.w3.org/2001/XMLSchema-instance\"><dc:title></dc:title>",
  "<dc:subject></dc:subject><dc:creator></dc:creator><cp:keywords></cp:keywords>",
  "<dc:description></dc:description><cp:lastModifiedBy></cp:lastModifiedBy>",
  "<cp:revision>1</cp:revision>",
  "<dcterms:created xsi:type=\"dcterms:W3CDTF\">2026-01-01T00:00:00Z</dcterms:created>",
  "<dcterms:modified xsi:type=\"dcterms:W3CDTF\">2026-01-01T00:00:00Z</dcterms:modified>",
  "<cp:category></cp:category></cp:coreProperties>")

app <- paste0(head, "<Properties xmlns=\"", office, "/extended-properties\">",
  "<Application>orizzonte</Application></Properties>")

relations <- function(...) {
  rows <- c(...)
  paste0(head, "<Relationships xmlns=\"", package, "/relationships\">",
         paste0("<Relationship Id=\"rId", seq_along(rows), "\" Type=\"", names(rows),
                "\" Target=\"", rows, "\"/>", collapse = ""), "</Relationships>")
}
root_relations <- relations(stats::setNames(
  c("word/document.xml", "docProps/core.xml", "docProps/app.xml"),
  c(paste0(office, "/relationships/officeDocument"),
    paste0(package, "/relationships/metadata/core-properties"),
    paste0(office, "/relationships/extended-properties"))))
word_relations <- relations(stats::setNames(
  c("styles.xml", "numbering.xml", "settings.xml"),
  paste0(office, "/relationships/", c("styles", "numbering", "settings"))))

content_types <- paste0(head, "<Types xmlns=\"", package, "/content-types\">",
  "<Default Extension=\"rels\" ContentType=\"",
  "application/vnd.openxmlformats-package.relationships+xml\"/>",
  "<Default Extension=\"xml\" ContentType=\"application/xml\"/>",
  "<Default Extension=\"png\" ContentType=\"image/png\"/>",
  "<Override PartName=\"/word/document.xml\" ContentType=\"", word_type, "document.main+xml\"/>",
  "<Override PartName=\"/word/styles.xml\" ContentType=\"", word_type, "styles+xml\"/>",
  "<Override PartName=\"/word/numbering.xml\" ContentType=\"", word_type, "numbering+xml\"/>",
  "<Override PartName=\"/word/settings.xml\" ContentType=\"", word_type, "settings+xml\"/>",
  "<Override PartName=\"/docProps/core.xml\" ContentType=\"",
  "application/vnd.openxmlformats-package.core-properties+xml\"/>",
  "<Override PartName=\"/docProps/app.xml\" ContentType=\"",
  "application/vnd.openxmlformats-officedocument.extended-properties+xml\"/></Types>")

folder <- tempfile()
parts <- list("[Content_Types].xml" = content_types, "_rels/.rels" = root_relations,
              "docProps/core.xml" = core, "docProps/app.xml" = app,
              "word/document.xml" = document, "word/styles.xml" = styles,
              "word/numbering.xml" = numbering, "word/settings.xml" = settings,
              "word/_rels/document.xml.rels" = word_relations)
for (name in names(parts)) {
  dir.create(file.path(folder, dirname(name)), showWarnings = FALSE, recursive = TRUE)
  writeLines(enc2utf8(parts[[name]]), file.path(folder, name), useBytes = TRUE)
}
target <- file.path(normalizePath("inst/report"), "template.docx")
unlink(target)
zip::zip(target, files = names(parts), root = folder, mode = "mirror")
cat("written:", target, file.size(target), "bytes\n")
