// A digest of R values that saving and loading do not change. It covers numbers and texts with
// their names, dimensions and classes; of functions, environments and language only the type
// counts.
#include <Rcpp.h>

#include <cstdint>
#include <cstdio>
#include <cstring>

namespace {

class Digest {
 public:
  void word(std::uint64_t x) {
    a_ = mix(a_ ^ x) + 0x9E3779B97F4A7C15ull;
    b_ = mix(b_ + x * 0xD6E8FEB86659FD93ull) ^ a_;
  }
  void text(SEXP x) {
    if (x == NA_STRING) return word(0x4E41);
    const void* before = vmaxget();
    const char* bytes = Rf_translateCharUTF8(x);
    const size_t size = std::strlen(bytes);
    word(size);
    for (size_t i = 0; i < size; i += 8) {
      std::uint64_t some = 0;
      std::memcpy(&some, bytes + i, std::min<size_t>(8, size - i));
      word(some);
    }
    vmaxset(before);
  }
  void number(double x) {
    if (R_IsNA(x)) return word(0x4E41);
    if (R_IsNaN(x)) return word(0x4E61);
    std::uint64_t bits;
    if (x == 0) x = 0;
    std::memcpy(&bits, &x, sizeof bits);
    word(bits);
  }
  std::string result() const {
    char out[33];
    std::snprintf(out, sizeof out, "%016llx%016llx", static_cast<unsigned long long>(a_),
                  static_cast<unsigned long long>(b_));
    return out;
  }

 private:
  static std::uint64_t mix(std::uint64_t x) {
    x ^= x >> 32;
    x *= 0xD6E8FEB86659FD93ull;
    x ^= x >> 32;
    return x;
  }
  std::uint64_t a_ = 0x243F6A8885A308D3ull, b_ = 0x13198A2E03707344ull;
};

constexpr int deepest = 100;

void add(SEXP x, bool shape_only, int depth, Digest& out);

void add_attribute(SEXP x, SEXP name, bool shape_only, int depth, Digest& out) {
  const SEXP value = Rf_getAttrib(x, name);
  if (Rf_isNull(value)) return;
  out.text(PRINTNAME(name));
  add(value, shape_only, depth + 1, out);
}

void add(SEXP x, bool shape_only, int depth, Digest& out) {
  out.word(static_cast<std::uint64_t>(TYPEOF(x)));
  if (depth > deepest) return;
  const bool values = !shape_only || TYPEOF(x) == VECSXP || TYPEOF(x) == STRSXP;
  switch (TYPEOF(x)) {
    case LGLSXP:
    case INTSXP:
    case REALSXP:
    case STRSXP:
    case VECSXP:
      break;
    default:
      return;
  }
  const R_xlen_t size = Rf_xlength(x);
  out.word(static_cast<std::uint64_t>(size));
  // long texts, such as the group of each row, are part of the data
  const bool long_text = shape_only && TYPEOF(x) == STRSXP && size > 1000;
  for (R_xlen_t i = 0; values && !long_text && i < size; ++i) {
    switch (TYPEOF(x)) {
      case LGLSXP:
        out.word(static_cast<std::uint64_t>(LOGICAL_ELT(x, i)));
        break;
      case INTSXP:
        out.word(static_cast<std::uint64_t>(INTEGER_ELT(x, i)));
        break;
      case REALSXP:
        out.number(REAL_ELT(x, i));
        break;
      case STRSXP:
        out.text(STRING_ELT(x, i));
        break;
      default:
        add(VECTOR_ELT(x, i), shape_only, depth + 1, out);
    }
  }
  for (SEXP name : {R_NamesSymbol, R_DimSymbol, R_DimNamesSymbol, R_LevelsSymbol, R_ClassSymbol})
    add_attribute(x, name, shape_only, depth, out);
}

}  // namespace

// With `shape_only`, only the number of numeric elements counts.
// [[Rcpp::export(rng = false)]]
Rcpp::String object_digest(SEXP x, bool shape_only) {
  Digest out;
  add(x, shape_only, 0, out);
  return out.result();
}
