// The LAPACK routines in use. Compiled libraries of linear algebra come with R, and calling them
// takes a fraction of the time of compiling Eigen's decompositions. Lengths of text arguments come
// last.
#pragma once
#include <cstddef>

extern "C" {
// min |b - A x| of any rank: x in b, and the rank
void dgelsy_(const int* m, const int* n, const int* columns, double* a, const int* lda, double* b,
             const int* ldb, int* pivots, const double* condition, int* rank, double* work,
             const int* size, int* info);
// A P = Q R, and products with Q
void dgeqp3_(const int* m, const int* n, double* a, const int* lda, int* pivots, double* tau,
             double* work, const int* size, int* info);
void dormqr_(const char* side, const char* transposed, const int* m, const int* n, const int* k,
             const double* a, const int* lda, const double* tau, double* c, const int* ldc,
             double* work, const int* size, int* info, std::size_t, std::size_t);
// eigenvalues and eigenvectors of a symmetric matrix, and eigenvalues of a tridiagonal one
void dsyev_(const char* vectors, const char* triangle, const int* n, double* a, const int* lda,
            double* values, double* work, const int* size, int* info, std::size_t, std::size_t);
void dsterf_(const int* n, double* diagonal, double* beside, int* info);
// A = Q T Q' with T tridiagonal, and products with Q
void dsytrd_(const char* triangle, const int* n, double* a, const int* lda, double* diagonal,
             double* beside, double* tau, double* work, const int* size, int* info, std::size_t);
void dormtr_(const char* side, const char* triangle, const char* transposed, const int* m,
             const int* n, const double* a, const int* lda, const double* tau, double* c,
             const int* ldc, double* work, const int* size, int* info, std::size_t, std::size_t,
             std::size_t);
}
