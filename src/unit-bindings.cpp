// One unit of compilation: what R calls.
#include "bindings.cpp"
#include "digest.cpp"
#include "from_r.cpp"
#include "output.cpp"
#include "yaml_scan.cpp"
