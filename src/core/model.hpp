// The parameters to be estimated: groups, entries of the model matrices, and the map from free
// parameters to entries.
#pragma once
#include <Eigen/Dense>
#include <initializer_list>

#include "sequence.hpp"

namespace orizzonte {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;

// v = alpha + B v + zeta, cov(zeta) = Psi (McArdle & McDonald 1984).
enum class Family : int { Effect = 0, Covariance = 1, Mean = 2 };

// One cell of B (row = outcome, col = cause), of the lower triangle of Psi, or of alpha (col
// unused).
struct Entry {
  Family family;
  int group;
  int row;
  int col;
};

// Observed variables come first, then constructs and composites. `rank` (of the variables) and
// `place` (of the group) define an order that does not depend on how the model was written; empty:
// the given order.
struct Shape {
  int observed;
  int variables;
  Sequence<int> rank = {};
  int place = 0;
};

// One row of entry = K theta + k.
struct Term {
  int parameter;
  double weight;
};
// Nearly every row has one term, which needs no allocation.
class Terms {
 public:
  Terms() = default;
  Terms(std::initializer_list<Term> terms) {
    for (const Term& term : terms) push_back(term);
  }
  void push_back(const Term& term) {
    if (size_ == 0) one_ = term;
    if (size_ == 1) many_.push_back(one_);
    if (size_ >= 1) many_.push_back(term);
    ++size_;
  }
  int size() const { return size_; }
  bool empty() const { return size_ == 0; }
  const Term* begin() const { return size_ > 1 ? many_.data() : &one_; }
  const Term* end() const { return begin() + size_; }
  Term* begin() { return size_ > 1 ? many_.data() : &one_; }
  Term* end() { return begin() + size_; }
  const Term& operator[](int i) const { return begin()[i]; }

 private:
  Term one_{0, 0};
  Sequence<Term> many_;
  int size_ = 0;
};
struct LinearMap {
  int parameters = 0;
  Sequence<Terms> rows;
  Vector constant;

  Vector operator()(const Vector& theta) const;
  void apply(const Vector& theta, Vector& eta) const;  // the same, into storage at hand
};

// How a construct is scaled. `closed` means that rescaling the construct leaves the model
// unchanged, so that it may be estimated on another scale first. A composite carries the entries of
// its weights instead of loadings. Given: some loadings are fixed at values of the user's; one that
// is not zero, beside free ones, is a marker in another form.
enum class ScaleKind : int { Marker = 0, Unit = 1, Average = 2, Composite = 3, Given = 4 };
struct Scale {
  int group;
  int construct;
  ScaleKind kind;
  int marker;    // index of the marker's entry, -1 if none
  int variance;  // index of the construct's variance entry, -1 if none
  Sequence<int> loadings;
  bool closed;
};

// A smooth expression as a tape in postfix order; its inputs are numbered.
enum class Operation : int {
  Constant = 0,
  Input,
  Add,
  Subtract,
  Multiply,
  Divide,
  Power,
  Negate,
  Exp,
  Log,
  Sqrt
};
struct Step {
  Operation operation;
  double argument;  // the number, or the index of the input
};
using Expression = Sequence<Step>;

// expression == 0, or >= 0 for a bound. Input i of the expression is unit[i] times entry inputs[i].
struct Constraint {
  Expression expression;
  Sequence<int> inputs;
  Sequence<double> unit;
  bool bound;
};

struct Model {
  Sequence<Shape> groups;
  Sequence<Entry> entries;
  LinearMap map;
  bool means = false;
  Sequence<Scale> scales;
  Sequence<Constraint> constraints;
};

double degrees_of_freedom(const Model& model);

// A model of one group alone, without constraints; `entries` gives their numbers in the whole
// model.
Model one_group(const Model& model, int g, Sequence<int>& entries);

}  // namespace orizzonte
