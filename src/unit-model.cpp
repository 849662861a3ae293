// One unit of compilation: models, their matrices and their moments. Dense kernels are instantiated
// once per unit, which takes less time than compiling each file on its own.
#include "core/expression.cpp"
#include "core/matrices.cpp"
#include "core/model.cpp"
#include "core/moments/block.cpp"
#include "core/moments/reduce.cpp"
#include "core/moments/saturated.cpp"
