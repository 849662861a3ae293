// One unit of compilation: replicates.
#include "core/many/drawn.cpp"
#include "core/many/refit_many.cpp"
#include "core/many/resampled.cpp"
#include "core/many/source.cpp"
