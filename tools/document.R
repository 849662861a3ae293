# Help pages and NAMESPACE from the roxygen comments of the installed package.
Rcpp::compileAttributes(".")
roxygen2::roxygenise(".", roclets = c("namespace", "rd"), load_code = "installed")
cat(orizzonte:::study_schema_text(), file = "inst/schema/study.schema.json")
