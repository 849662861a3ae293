#!/bin/sh
# Builds the web site of the package into .build/site (pkgdown), with the pictures of the README.
set -eu
cd "$(dirname "$0")/.."
export R_LIBS="$PWD/.build/library${R_LIBS:+:$R_LIBS}"
Rscript --no-init-file -e 'if (!nzchar(system.file(package = "pkgdown"))) stop("The site needs the package pkgdown.", call. = FALSE)
options(pkgdown.internet = FALSE)
pkgdown::build_site(override = list(destination = ".build/site"), preview = FALSE, install = FALSE, new_process = FALSE)'
mkdir -p .build/site/docs
cp -R docs/screenshots .build/site/docs/
# the README refers to files of the sources: on the site they are pages
sed -i -E 's#"vignettes/([a-z-]+)\.Rmd"#"articles/\1.html"#g; s#"NEWS\.(md|html)"#"news/index.html"#g' \
  .build/site/index.html
Rscript --no-init-file tools/links.R
echo "The site: .build/site/index.html"
