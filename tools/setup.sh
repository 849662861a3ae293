#!/bin/sh
# Installs what is missing, then the package itself into .build/library.
#   tools/setup.sh demo|test|check
# With root on Debian or Ubuntu: built r-cran-* packages. Otherwise: CRAN, into .build/library.
set -eu
cd "$(dirname "$0")/.."
purpose=${1:-demo}
library="$PWD/.build/library"
mkdir -p "$library"
export R_LIBS="$library${R_LIBS:+:$R_LIBS}"

packages="Rcpp RcppEigen rlang generics ggplot2 jsonlite optparse yaml data.table htmltools"
[ "$purpose" = demo ] || packages="$packages testthat numDeriv nlme tibble haven xml2 officer flextable"
[ "$purpose" = check ] && packages="$packages lintr knitr rmarkdown"

can_apt() { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; }
apt_updated=no
apt_install() {
  if [ "$apt_updated" = no ]; then apt-get update -qq || true; apt_updated=yes; fi
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

if ! command -v Rscript >/dev/null 2>&1; then
  if can_apt; then echo "Installing R ..."; apt_install r-base-core r-base-dev; else
    echo "R is not installed. Ask for it: apt-get install r-base-core r-base-dev" >&2; exit 1
  fi
fi
if ! command -v g++ >/dev/null 2>&1 || ! command -v make >/dev/null 2>&1; then
  if can_apt; then echo "Installing compilers ..."; apt_install r-base-dev; else
    echo "A C++ compiler and make are needed. Ask for them: apt-get install r-base-dev" >&2; exit 1
  fi
fi

missing() {
  Rscript --vanilla -e 'p <- commandArgs(TRUE); cat(p[!nzchar(vapply(p, function(x) system.file(package = x), ""))])' $packages
}
lacking=$(missing)
if [ -n "$lacking" ] && can_apt; then
  echo "Installing R packages: $lacking"
  for package in $lacking; do
    apt_install "r-cran-$(echo "$package" | tr '[:upper:]' '[:lower:]')" || echo "  not packaged: $package"
  done
  lacking=$(missing)
fi
if [ -n "$lacking" ]; then
  echo "Installing R packages from CRAN into .build/library: $lacking"
  Rscript --vanilla -e 'p <- commandArgs(TRUE)
    if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@")) utils::chooseCRANmirror(graphics = FALSE, ind = 1)
    install.packages(p[-1], lib = p[1], Ncpus = max(1L, parallel::detectCores()), quiet = TRUE)' "$library" $lacking
  lacking=$(missing)
  [ -z "$lacking" ] || { echo "Could not install: $lacking" >&2; exit 1; }
fi

# Vignettes are built in the check only.
if [ "$purpose" = check ] && ! command -v pandoc >/dev/null 2>&1; then
  if can_apt; then echo "Installing pandoc ..."; apt_install pandoc; else
    echo "Vignettes need pandoc. Ask for it: apt-get install pandoc" >&2; exit 1
  fi
fi

# The package itself, when a source is newer than the last installation.
stamp=.build/installed
if [ ! -e "$stamp" ] || [ -n "$(find DESCRIPTION NAMESPACE R src inst data exec man -newer "$stamp" -type f ! -name '*.o' ! -name '*.so' 2>/dev/null | head -n 1)" ]; then
  # objects do not know which headers they were made from
  if [ ! -e "$stamp" ] || [ -n "$(find src -name '*.hpp' -newer "$stamp" | head -n 1)" ]; then find src -name '*.o' -delete -o -name '*.so' -delete; fi
  echo "Installing orizzonte into .build/library (compiles once, about a minute) ..."
  if ! MAKEFLAGS="-j$(nproc 2>/dev/null || echo 2)" R CMD INSTALL --no-test-load --library="$library" . >.build/install.log 2>&1; then
    tail -n 30 .build/install.log >&2
    exit 1
  fi
  touch "$stamp"
fi
