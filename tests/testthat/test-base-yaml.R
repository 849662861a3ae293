# The structure of a YAML file is checked before its tree is built.

refuses <- function(text, pattern) {
  expect_little_work(expect_error(check_yaml(text, "a.yaml"), pattern,
                                  class = "orizzonte_error_file"))
}
# Accepted files are read completely: as many values as the YAML reader finds without our check.
passes <- function(text) {
  file <- tempfile(fileext = ".yaml")
  writeBin(charToRaw(text), file)
  expect_length(unlist(read_yaml_file(file)), length(unlist(yaml::yaml.load(text))))
}

test_that("anchors and aliases are refused wherever a value or a key may stand", {
  for (text in c("a: &x 1", "a: *x", "- &x a", "a: [b, &x c]", "a: {b: &x 1}", "{\"a\":&x 1}",
                 "\"k\": &x 1", "'k': *x", "? &x a", "&x a: 1", "*x : 1", "a:\n  - *x",
                 "a: [\n  *x]", "a: \"b\"\nc: *x", "a: |\n  text\nb: *x",
                 "a: text\n  goes on\nb: *x", "--- &x [a]", "a: 'it''s' # no\nb: &x 2",
                 "- - - &x a", "a: b\n\n# c\n\nd: &x e"))
    refuses(text, "line [0-9]+: (anchors|complex keys)")
})

test_that("tags, complex keys, directives and second documents are refused", {
  refuses("a: !expr x", "tags")
  refuses("a: [!!binary x]", "tags")
  refuses("!x a: b", "tags")
  refuses("? a\n: b", "complex keys")
  refuses("a:\n  ? [b]\n  : c", "complex keys")
  refuses(strrep("? ", 20000), "complex keys")
  refuses("%YAML 1.1\n---\na: b", "directives")
  refuses("a: b\n---\nc: d", "line 2: a second document")
  refuses("a: b\n...\nc: d", "line 3: a second document")
  refuses("---\n---\na: b", "line 2: a second document")
  refuses("a: |x\n  b", "text must not follow")
})

test_that("depth and number of entries are bounded, in blocks, in flow and in both", {
  for (text in c(strrep("[", 101), strrep("{a: ", 101), strrep("- ", 101),
                 paste0(strrep(" ", 0:100), "a:\n", collapse = ""),
                 paste0("a: \"]\" \nb: ", strrep("[\"]\", ", 101)),
                 paste0(strrep("- ", 60), strrep("[", 60)), strrep("[", 1e6),
                 strrep("{\"a\":", 1e5)))
    refuses(text, "levels deep")
  for (text in c(paste0("k", 1:20001, ": v", collapse = "\n"), strrep("- a\n", 20001),
                 paste0("[", strrep("a,", 20001)),
                 paste0("{", paste0("\"k", 1:10001, "\":\"\"", collapse = ","), "}")))
    refuses(text, "entries")
})

test_that("quotes, comments, blocks of text and plain text pass, whatever they hold", {
  for (text in c("a: \"*x &y !z\"", "a: '[[[[ & *'", "a: it's *not* an alias", "a: b # *x &y",
                 "# &x *y\na: b", "a: |\n  *x\n  &y [[[[\n\n  ? z\nb: c",
                 "a: >-\n  ---\n  !x\nb: c", "a: plain text\n  *that* goes on\n  & on\nb: c",
                 "a: \"quoted text\n  *goes* on\"",
                 "a: 'don''t & *x'", "a: \"\\\" *x\"", "loading[Calm, sc4] >= 0", "- a*b", "- a&b",
                 "a: [b, 'c]', \"d}\", {e: f}]", "---\na: b\n...\n", "a:\n- b\n- c\nd: e", "a: b:c",
                 "a: http://b#c", "- - a\n  - b\n- c", "a: |2-\n   b", "a: > # comment\n  b"))
    passes(text)
  for (file in list.files(system.file("extdata", package = "orizzonte"), "yaml$", recursive = TRUE,
                          full.names = TRUE)) passes(read_text(file))
})

test_that("what passes is a tree that is built at once, and a large file is refused unread", {
  text <- paste0("k", 1:9999, ": v", collapse = "\n")
  passes(text)
  file <- tempfile(fileext = ".yaml")
  writeLines(paste0("title: ", strrep("x", 2e6)), file)
  expect_error(read_blueprint(file), text_pattern("is_larger_than_megabytes", e6 = "2"),
               class = "orizzonte_error_file")
})

test_that("the outline of a text and the tree of the reader agree on what is nested", {
  set.seed(8)
  piece <- function(depth) {
    kind <- sample(if (depth > 3) 3:5 else 1:5, 1)
    switch(kind,
      paste0("[", paste(replicate(sample(3, 1), piece(depth + 1)), collapse = ", "), "]"),
      paste0("{", paste0(letters[seq_len(sample(3, 1))], ": ", piece(depth + 1), collapse = ", "),
             "}"),
      sample(c("'a ] &b'", "\"*c \\\" {\"", "plain", "a b", "1.5"), 1), "x", "'it''s'")
  }
  for (k in 1:80) {
    text <- paste0("k", 1:3, ": ", replicate(3, piece(0)), collapse = "\n")
    passes(text)
    planted <- sub("(plain|x|1[.]5)", "*ref", text)
    if (planted != text) refuses(planted, "anchors")
  }
})
