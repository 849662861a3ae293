// One unit of compilation: the functions that R calls. Vector arithmetic and modules of Rcpp are
// not used, and take seconds to compile.
#define RCPP_NO_MODULES
#define RCPP_NO_RTTI
#define RCPP_NO_SUGAR

#include "RcppExports.cpp"
#include "bindings.cpp"
#include "bindings_geometry.cpp"
#include "bindings_moments.cpp"
#include "core/geometry/routes.cpp"
#include "digest.cpp"
#include "from_r.cpp"
#include "output.cpp"
#include "yaml_scan.cpp"
