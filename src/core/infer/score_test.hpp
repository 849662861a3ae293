// Score tests of constraints, computed from the fit alone (Sorbom 1989).
#pragma once
#include "../moments/block.hpp"
#include "../moments/cases.hpp"
#include "../solve/control.hpp"

namespace orizzonte {

// Either one entry moves on its own, or one constraint no longer holds; the other is -1.
struct Release {
  int entry;
  int constraint;
};

struct ScoreTests {
  bool admissible = false;  // could the model be evaluated at theta at all
  Vector score;             // of the log-likelihood
  Vector information;       // about the change, all parameters being estimated beside it
  Vector own;               // the same if all parameters were known
  Vector kept;   // of a change of one of several equal entries, the part that is left when the
                 // others follow
  Matrix joint;  // information about several changes at once
  // The responses of the parameters to a unit of each change, parameters x releases; empty if not
  // joint and large.
  Matrix response;
  Vector variance;  // of the efficient scores, from the cases: robust tests divide by it
  Matrix joint_variance;
};

// s'V^-1 s with V = I_cc - I_ct I_tt^-1 I_tc: the modification index; V^-1 s: the expected change.
// `joint` asks for the matrices. With cases also the variance of s without normality, P J P' with
// P = [1, -I_ct I_tt^-1] (Boos 1992).
ScoreTests score_tests(const Model& model, const Sample& sample, const Vector& theta,
                       const Sequence<Release>& releases, bool joint,
                       const Sequence<Cases>& cases = {}, const StopToken& stop = {});

}  // namespace orizzonte
