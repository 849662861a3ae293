#!/bin/sh
# Installs what is missing, then the package itself into .build/library.
#   tools/setup.sh demo|test|check|document
# With root on Debian or Ubuntu: built r-cran-* packages. Otherwise: CRAN (your own mirror, if your R
# profile names one), into .build/library. System pieces are checked first and named all at once.
set -eu
cd "$(dirname "$0")/.."
purpose=${1:-demo}
library="$PWD/.build/library"
mkdir -p "$library"
export R_LIBS="$library${R_LIBS:+:$R_LIBS}"

packages="Rcpp RcppEigen cli rlang generics ggplot2 jsonlite optparse yaml data.table htmltools"
# what single functions and their tests use; where it cannot be installed, these tests are skipped
optional="numDeriv nlme tibble haven xml2 officer codetools knitr DBI RSQLite dbplyr dplyr future progressr nanoparquet shiny callr"
[ "$purpose" = demo ] || packages="$packages testthat withr $optional"
case $purpose in check) packages="$packages lintr rmarkdown spelling" ;; document) packages="$packages roxygen2" ;; esac

has() { command -v "$1" >/dev/null 2>&1; }
can_apt() { [ "$(id -u)" = 0 ] && has apt-get; }
# The last of the demo's next steps opens the live page. Where its packages would have to be compiled,
# that step is left out.
if [ "$purpose" = demo ] && can_apt; then packages="$packages shiny callr"; fi
apt_updated=no
apt_install() {
  if [ "$apt_updated" = no ]; then apt-get update -qq || true; apt_updated=yes; fi
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null 2>&1
}

# System pieces: R, a compiler and make; for the check, which builds vignettes, pandoc and qpdf.
pieces=""
has Rscript || pieces="r-base-core"
{ has g++ && has make && has R; } || pieces="$pieces r-base-dev"
if [ "$purpose" = check ]; then for tool in pandoc qpdf; do has $tool || pieces="$pieces $tool"; done; fi
if [ -n "$pieces" ]; then
  if can_apt; then
    echo "Installing: $pieces ..."
    # shellcheck disable=SC2086
    apt_install $pieces
    pieces=""
  else
    echo "Missing on this machine: $pieces. Ask its administrator for: apt-get install $pieces" >&2
    exit 1
  fi
fi

# The browser in which the live page is tested, where this machine lets it be installed.
if [ "$purpose" = check ]; then
  { has chromium || has chromium-browser || has google-chrome; } || ! can_apt || {
    echo "Installing: chromium ..."
    apt_install chromium || echo "  not installed, and the tests of the live page are skipped: chromium"
  }
  if has npm && [ ! -d .build/browser/node_modules/puppeteer-core ]; then
    echo "Installing into .build/browser: puppeteer-core and axe-core ..."
    mkdir -p .build/browser
    PUPPETEER_SKIP_DOWNLOAD=1 npm install --silent --no-audit --no-fund --prefix .build/browser \
      puppeteer-core axe-core >/dev/null 2>&1 ||
      echo "  not installed, and the tests of the live page are skipped: puppeteer-core"
  fi
fi

# Debug information doubles the time of compiling; your own settings go first.
if [ -z "${R_MAKEVARS_USER:-}" ] && [ ! -e "${HOME:-/}/.R/Makevars" ]; then
  for flags in CFLAGS CXXFLAGS CXX11FLAGS CXX14FLAGS CXX17FLAGS; do echo "$flags = -O2"; done >.build/Makevars
  # Eigen's headers warn about vector types as template arguments
  for flags in CXXFLAGS CXX11FLAGS CXX14FLAGS CXX17FLAGS; do echo "$flags += -Wno-ignored-attributes"; done >>.build/Makevars
  export R_MAKEVARS_USER="$PWD/.build/Makevars"
fi

# What is not there, or older than DESCRIPTION asks.
missing() {
  Rscript --vanilla -e '
    wanted <- commandArgs(TRUE)
    fields <- read.dcf("DESCRIPTION", c("Imports", "Suggests"))
    asked <- trimws(unlist(strsplit(fields, ",")))
    least <- ifelse(grepl(">=", asked), sub(".*>= *([0-9.]+).*", "\\1", asked), "0")
    names(least) <- sub("[ (\n].*", "", asked)
    old <- vapply(wanted, function(name) {
      if (!nzchar(system.file(package = name))) return(TRUE)
      name %in% names(least) && utils::packageVersion(name) < least[[name]]
    }, NA)
    cat(wanted[old])' $packages
}
lacking=$(missing)
if [ -n "$lacking" ] && can_apt; then
  echo "Installing R packages: $lacking"
  for package in $lacking; do
    apt_install "r-cran-$(echo "$package" | tr '[:upper:]' '[:lower:]')" || echo "  not packaged: $package"
  done
  lacking=$(missing)
fi
# What packages for Word reports compile against, where they have to be compiled: all named at once.
case " $lacking " in *" officer "* | *" xml2 "*)
  if has pkg-config; then
    for pair in freetype2:libfreetype-dev harfbuzz:libharfbuzz-dev fribidi:libfribidi-dev libpng:libpng-dev \
      libtiff-4:libtiff-dev libjpeg:libjpeg-dev libwebp:libwebp-dev fontconfig:libfontconfig-dev \
      cairo:libcairo2-dev openssl:libssl-dev libxml-2.0:libxml2-dev zlib:zlib1g-dev; do
      pkg-config --exists "${pair%%:*}" || pieces="$pieces ${pair#*:}"
    done
    if [ -n "$pieces" ]; then
      echo "Not installed, and skipped: officer and xml2, which need these system libraries:$pieces"
      lacking=$(echo " $lacking " | sed 's/ officer / /; s/ xml2 / /; s/^ *//; s/ *$//')
      skipped=yes
    fi
  fi ;;
esac
if [ -n "$lacking" ]; then
  # the package fs builds its own where the system has none
  { has pkg-config && pkg-config --exists libuv; } || export USE_BUNDLED_LIBUV=1
  echo "Installing R packages from CRAN into .build/library, with what they need: $lacking"
  Rscript --no-save -e 'p <- commandArgs(TRUE)
    if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@")) utils::chooseCRANmirror(graphics = FALSE, ind = 1)
    install.packages(p[-1], lib = p[1], Ncpus = max(1L, parallel::detectCores()))' "$library" $lacking \
    >.build/packages.log 2>&1 &
  installing=$!
  # a line a package while it goes
  shown=0
  while kill -0 "$installing" 2>/dev/null; do
    sleep 2
    done_now=$(grep -c '^\* DONE' .build/packages.log 2>/dev/null || true)
    if [ "${done_now:-0}" -gt "$shown" ]; then
      grep '^\* DONE' .build/packages.log | sed -n "$((shown + 1)),${done_now}p" | sed 's/^\* DONE (\(.*\))/  \1/'
      shown=$done_now
    fi
  done
  wait "$installing" || true
  left=""
  lacking=""
  for package in $(missing); do
    case " $optional " in *" $package "*) left="$left $package" ;; *) lacking="$lacking $package" ;; esac
  done
  [ -z "$left" ] || [ "${skipped:-no}" = yes ] || echo "  not installed, and what needs them is skipped:$left"
  if [ -n "$lacking" ]; then
    tail -n 20 .build/packages.log >&2
    echo "Could not install: $lacking. The whole log: .build/packages.log" >&2
    exit 1
  fi
fi

# The package itself, when a source is newer than the last installation.
stamp=.build/installed
if [ ! -e "$stamp" ] || [ -n "$(find DESCRIPTION NAMESPACE R src inst data exec man -newer "$stamp" -type f ! -name '*.o' ! -name '*.so' 2>/dev/null | head -n 1)" ]; then
  # objects do not know the files they include: a changed header concerns all, another file its unit
  if [ ! -e "$stamp" ] || [ -n "$(find src -name '*.h*' -newer "$stamp" | head -n 1)" ]; then
    find src -name '*.o' -delete -o -name '*.so' -delete
  else
    for file in $(find src -name '*.cpp' -newer "$stamp"); do
      for unit in $(cd src && grep -l "\"${file#src/}\"" unit-*.cpp || true); do rm -f "src/${unit%.cpp}.o"; done
    done
  fi
  echo "Installing orizzonte into .build/library (compiles once, about two minutes) ..."
  # what is changed while it compiles is newer than this
  touch .build/installing
  MAKEFLAGS="-j$(nproc 2>/dev/null || echo 2)" R CMD INSTALL --no-test-load --library="$library" . >.build/install.log 2>&1 &
  installing=$!
  # a line every 15 seconds: the last unit that began, or the last step of R
  waited=0
  while kill -0 "$installing" 2>/dev/null; do
    sleep 1
    waited=$((waited + 1))
    if [ $((waited % 15)) = 0 ] && kill -0 "$installing" 2>/dev/null; then
      now=$(sed -n 's/^g++.* -c \([A-Za-z-]*\)[.]cpp .*/compiling \1/p; s/^[*][*] *\(.*\)/\1/p' .build/install.log | tail -n 1)
      echo "  $waited s: ${now:-starting}"
    fi
  done
  if ! wait "$installing"; then
    tail -n 30 .build/install.log >&2
    exit 1
  fi
  mv .build/installing "$stamp"
fi
