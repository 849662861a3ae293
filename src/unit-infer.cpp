// One unit of compilation: standard errors, tests and derivatives.
#include "core/infer/derivatives.cpp"
#include "core/infer/meat.cpp"
#include "core/infer/profile.cpp"
#include "core/infer/proper.cpp"
#include "core/infer/sandwich.cpp"
#include "core/infer/saturated_information.cpp"
#include "core/infer/scaling.cpp"
#include "core/infer/score_test.cpp"
