// Included by the generated bindings before anything else: Eigen without its warnings about vector
// types as template arguments. Templates are instantiated at the end of a unit, so the warning stays
// off there.
#pragma once
#pragma GCC diagnostic ignored "-Wignored-attributes"
#include <RcppEigen.h>
