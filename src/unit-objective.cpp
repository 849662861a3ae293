// One unit of compilation: linear algebra of groups, and objectives.
#include "core/linear/arrow.cpp"
#include "core/linear/dense.cpp"
#include "core/objective/normal_theory.cpp"
#include "core/objective/objective.cpp"
#include "core/objective/tables.cpp"
