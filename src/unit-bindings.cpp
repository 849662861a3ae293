// One unit of compilation: what R calls.
#include "RcppExports.cpp"
#include "bindings.cpp"
#include "bindings_geometry.cpp"
#include "core/geometry/routes.cpp"
#include "digest.cpp"
#include "from_r.cpp"
#include "output.cpp"
#include "yaml_scan.cpp"
