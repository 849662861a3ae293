#!/bin/sh
# R CMD check --as-cran on a built package, without the tests, which `make test` runs; fails on any
# error, warning or note except those on a new submission and on the size. Nothing is looked up on
# the network.
set -eu
cd "$(dirname "$0")/.."
root=$PWD
export R_LIBS="$root/.build/library${R_LIBS:+:$R_LIBS}"
mkdir -p .build/check

cd .build/check
rm -rf ./*.tar.gz orizzonte.Rcheck
jobs=$(nproc 2>/dev/null || echo 2)
MAKEFLAGS="-j$jobs" R CMD build "$root"

# The pages in a browser, in parallel: they leave a processor idle most of the time.
{
  cd "$root"
  Rscript --no-init-file tools/accessibility.R &&
    ORIZZONTE_BROWSER=yes Rscript --no-init-file tests/run.R '^page-browser$'
} >"$root/.build/pages.log" 2>&1 &
pages=$!
finish() {
  status=$?
  wait "$pages" || status=1
  cat "$root/.build/pages.log"
  exit "$status"
}
trap finish EXIT

printf 'CXX17FLAGS = -O2 -Wall\n' > Makevars
export R_MAKEVARS_USER="$PWD/Makevars" MAKEFLAGS="-j$jobs"
export _R_CHECK_CRAN_INCOMING_REMOTE_=false _R_CHECK_FORCE_SUGGESTS_=true
# other work may slow the examples down
export _R_CHECK_EXAMPLE_TIMING_THRESHOLD_=15
export _R_CHECK_SYSTEM_CLOCK_=0 _R_CHECK_PACKAGE_DEPENDS_IGNORE_MISSING_ENHANCES_=true
# the vignettes were built a moment ago
R CMD check --as-cran --no-manual --no-tests --no-build-vignettes orizzonte_*.tar.gz || true
log=orizzonte.Rcheck/00check.log
grep '^Status:' "$log"
# notes other than "New submission" and the version of a development state
left=$(grep -v '^Status:' "$log" | grep -cE '(ERROR|WARNING|NOTE)$' || true)
allowed=$(grep -cE '^\* checking (CRAN incoming feasibility|installed package size) .*NOTE$' "$log" || true)
# the note on size is allowed below 8 MB: byte code (3.3 MB), the core (1.1 MB), and figures in
# every vignette (1.8 MB)
size=$(sed -n 's/^ *installed size is  *\([0-9.]*\)Mb.*/\1/p' "$log")
case ${size:-0} in [0-7] | [0-7].*) ;; *) echo "installed size: $size MB" && exit 1 ;; esac
[ "$left" -eq "$allowed" ]
