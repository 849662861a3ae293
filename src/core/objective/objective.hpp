// Interface between solvers and a model with its data; one file for each objective.
#pragma once
#include <memory>

#include "../linear/arrow.hpp"
#include "../moments/block.hpp"
#include "../moments/cases.hpp"

namespace orizzonte {

// Tested: the part of the observed information that comes from missing values and not from misfit
// (cases deviate from the saturated moments); with complete data the expected one.
enum class Information { Expected, Observed, Tested };
enum class About { Model, Data };  // the means that cases deviate from

// The discrepancy F of a model from a sample, with all derivatives of l = -n F / 2.
class Objective {
 public:
  explicit Objective(std::shared_ptr<const Model> model) : model_(std::move(model)) {}
  virtual ~Objective() = default;

  // Another sample of the same model, without building anything again.
  virtual void set_sample(const Sample& sample) = 0;
  // False when some Sigma_g is not positive definite or det(I - B) has vanished or changed its
  // sign.
  virtual bool move_to(const Vector& theta) = 0;
  virtual double value() const = 0;
  virtual double n() const = 0;
  // The information for standard errors: with missing values the expected one is wrong (Kenward &
  // Molenberghs 1998).
  virtual Information inference() const = 0;
  const Model& model() const { return *model_; }

  // Derivatives by the free parameters, at the point of the last successful move.
  virtual void score(Vector& out) = 0;
  virtual void information(Information kind, Arrow& out) = 0;
  Vector score();
  Matrix dense_information(Information kind);
  // The same scaled to a unit diagonal (Jacobi); rows and columns were multiplied by `unit`.
  Matrix unit_information(Information kind, Vector& unit);

  // Derivatives by the matrix entries, before the map (full matrices).
  virtual Vector entry_score() = 0;
  virtual Matrix entry_information(Information kind) = 0;

  // Information of single entries for score tests: with every parameter (parameters x entries), on
  // their own, and with each other. The observed one would include misfit in its curvature, and
  // predict drops that are many times too large; the expected one is wrong where values are missing
  // at random.
  virtual void cross_information(const Sequence<int>& entries, Matrix& with_parameters,
                                 Vector& own) = 0;
  virtual Matrix pair_information(const Sequence<int>& entries) = 0;

  // Scores of single cases of a group, by the parameters or by entries: cases x columns. About the
  // data's own means instead of the model's when asked (complete data).
  virtual void case_scores(int g, const Matrix& values, About about, Matrix& out) = 0;
  virtual void case_entry_scores(int g, const Matrix& values, const Sequence<int>& entries,
                                 Matrix& out) = 0;

 private:
  std::shared_ptr<const Model> model_;
  Arrow dense_;
};

}  // namespace orizzonte
