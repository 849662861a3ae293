#include "expression.hpp"

#include <cmath>

namespace orizzonte {
namespace {

Jet constant(double value, int inputs) {
  return {value, Vector::Zero(inputs), Matrix::Zero(inputs, inputs)};
}

// f(u), given f and its first two derivatives at u.
Jet chain(const Jet& u, double f, double first, double second) {
  return {f, first * u.gradient, first * u.hessian + second * u.gradient * u.gradient.transpose()};
}

Jet product(const Jet& u, const Jet& v) {
  const Matrix cross = u.gradient * v.gradient.transpose();
  return {u.value * v.value, u.value * v.gradient + v.value * u.gradient,
          u.value * v.hessian + v.value * u.hessian + cross + cross.transpose()};
}

Jet power(const Jet& u, const Jet& v) {
  const double e = v.value;
  if (v.gradient.isZero(0)) {
    if (e == 0) return constant(1, to_int(u.gradient.size()));
    return chain(u, std::pow(u.value, e), e * std::pow(u.value, e - 1),
                 e == 1 ? 0 : e * (e - 1) * std::pow(u.value, e - 2));
  }
  const Jet logarithm = chain(u, std::log(u.value), 1 / u.value, -1 / (u.value * u.value));
  const Jet exponent = product(v, logarithm);
  const double value = std::exp(exponent.value);
  return chain(exponent, value, value, value);
}

}  // namespace

Jet evaluate(const Expression& expression, const Vector& inputs) {
  const int size = to_int(inputs.size());
  Sequence<Jet> stack;
  for (const Step& step : expression) {
    if (step.operation == Operation::Constant) {
      stack.push_back(constant(step.argument, size));
      continue;
    }
    if (step.operation == Operation::Input) {
      const int i = static_cast<int>(step.argument);
      Jet leaf = constant(inputs[i], size);
      leaf.gradient[i] = 1;
      stack.push_back(leaf);
      continue;
    }
    Jet v = stack.back();
    stack.pop_back();
    const double x = v.value;
    switch (step.operation) {
      case Operation::Negate:
        stack.push_back(chain(v, -x, -1, 0));
        continue;
      case Operation::Exp:
        stack.push_back(chain(v, std::exp(x), std::exp(x), std::exp(x)));
        continue;
      case Operation::Log:
        stack.push_back(chain(v, std::log(x), 1 / x, -1 / (x * x)));
        continue;
      case Operation::Sqrt:
        stack.push_back(chain(v, std::sqrt(x), 0.5 / std::sqrt(x), -0.25 / (x * std::sqrt(x))));
        continue;
      default:
        break;
    }
    Jet& u = stack.back();
    switch (step.operation) {
      case Operation::Add:
        u = {u.value + x, u.gradient + v.gradient, u.hessian + v.hessian};
        break;
      case Operation::Subtract:
        u = {u.value - x, u.gradient - v.gradient, u.hessian - v.hessian};
        break;
      case Operation::Multiply:
        u = product(u, v);
        break;
      case Operation::Divide:
        u = product(u, chain(v, 1 / x, -1 / (x * x), 2 / (x * x * x)));
        break;
      default:
        u = power(u, v);
        break;
    }
  }
  return stack.back();
}

Jet evaluate(const Constraint& constraint, const LinearMap& map, const Vector& eta) {
  const int inputs = constraint.inputs.size();
  Vector values(inputs);
  for (int i = 0; i < inputs; ++i) values[i] = constraint.unit[i] * eta[constraint.inputs[i]];
  const Jet at = evaluate(constraint.expression, values);
  Jet out = constant(at.value, map.parameters);
  for (int i = 0; i < inputs; ++i)
    for (const Term& s : map.rows[constraint.inputs[i]]) {
      const double by = constraint.unit[i] * s.weight;
      out.gradient[s.parameter] += by * at.gradient[i];
      for (int j = 0; j < inputs; ++j)
        for (const Term& t : map.rows[constraint.inputs[j]])
          out.hessian(s.parameter, t.parameter) +=
              by * constraint.unit[j] * t.weight * at.hessian(i, j);
    }
  return out;
}

}  // namespace orizzonte
