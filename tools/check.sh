#!/bin/sh
# R CMD check on a built package, without the tests, which `make test` runs; fails on any error,
# warning or note.
set -eu
cd "$(dirname "$0")/.."
root=$PWD
export R_LIBS="$root/.build/library${R_LIBS:+:$R_LIBS}"
mkdir -p .build/check
cd .build/check
rm -rf ./*.tar.gz orizzonte.Rcheck
MAKEFLAGS="-j$(nproc 2>/dev/null || echo 2)" R CMD build "$root"
# debug information alone would make the library thirty times as large
printf 'CXX17FLAGS = -O2 -Wall\n' > Makevars
R_MAKEVARS_USER="$PWD/Makevars" _R_CHECK_FORCE_SUGGESTS_=false MAKEFLAGS="-j$(nproc 2>/dev/null || echo 2)" R CMD check --no-manual --no-tests orizzonte_*.tar.gz
status=$(grep '^Status:' orizzonte.Rcheck/00check.log)
echo "$status"
[ "$status" = "Status: OK" ]
