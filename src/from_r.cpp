#include "from_r.h"

#include <algorithm>
#include <cstring>

// Ends in an error of class orizzonte_error_object.
[[noreturn]] void refuse(const std::string& why) {
  const Rcpp::Function complain = Rcpp::Environment::namespace_env("orizzonte")["refuse_object"];
  complain(why);
  throw Rcpp::exception(why.c_str());
}

void require(bool holds, const char* why) {
  if (!holds) refuse(why);
}

int index_within(int value, int size, bool none) {
  require((value >= 1 && value <= size) || (none && value == 0), "an index in it points nowhere");
  return value - 1;
}

Rcpp::IntegerVector numbers_in_r(const oz::Sequence<int>& numbers) {
  Rcpp::IntegerVector from_one(numbers.size());
  for (int i = 0; i < numbers.size(); ++i) from_one[i] = numbers[i] + 1;
  return from_one;
}

namespace {

// A named list, read by hand: wrapping each of a model's many short vectors would cost more than a
// small fit.
struct Record {
  SEXP list, names;
  int size;
  Record(SEXP x) : list(x) {
    require(TYPEOF(x) == VECSXP, "a part of it is not a list");
    names = Rf_getAttrib(x, R_NamesSymbol);
    size = Rf_isNull(names) ? 0 : Rf_length(x);
  }
};

int place_of(const Record& from, const char* name) {
  for (int i = 0; i < from.size; ++i) {
    const char* known = CHAR(STRING_ELT(from.names, i));
    if (known[0] == name[0] && std::strcmp(known, name) == 0) return i;
  }
  return -1;
}

// R's NULL when there is no such element.
SEXP optional(const Record& from, const char* name) {
  const int place = place_of(from, name);
  return place < 0 ? R_NilValue : VECTOR_ELT(from.list, place);
}

SEXP element(const Record& from, const char* name) {
  const int place = place_of(from, name);
  if (place < 0) refuse(std::string("it has no element \"") + name + "\"");
  return VECTOR_ELT(from.list, place);
}

// A vector in a list, with its length.
template <class T>
struct Column {
  const T* at;
  int size;
  const T& operator[](int i) const { return at[i]; }
  const T& only() const { return at[0]; }
};

Column<int> integers(const Record& from, const char* name, int size = -1) {
  const SEXP x = element(from, name);
  const bool fits =
      (TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP) && (size < 0 || Rf_length(x) == size);
  if (!fits) refuse(std::string("its element \"") + name + "\" has another type or length");
  return {INTEGER(x), Rf_length(x)};
}

Column<double> numbers(const Record& from, const char* name, int size = -1) {
  const SEXP x = element(from, name);
  const bool fits = TYPEOF(x) == REALSXP && (size < 0 || Rf_length(x) == size);
  if (!fits) refuse(std::string("its element \"") + name + "\" has another type or length");
  return {REAL(x), Rf_length(x)};
}

// A tape must find its arguments on its stack, and leave one number.
void check_tape(const oz::Expression& tape, int inputs) {
  int depth = 0;
  for (const oz::Step& step : tape) {
    const int code = static_cast<int>(step.operation);
    require(code >= 0 && code <= static_cast<int>(oz::Operation::Sqrt),
            "an expression in it is damaged");
    if (step.operation == oz::Operation::Constant || step.operation == oz::Operation::Input) {
      const bool known = step.operation == oz::Operation::Constant ||
                         (step.argument >= 0 && step.argument < inputs);
      require(known, "an expression in it is damaged");
      ++depth;
    } else {
      const bool two = code >= static_cast<int>(oz::Operation::Add) &&
                       code <= static_cast<int>(oz::Operation::Power);
      require(depth >= (two ? 2 : 1), "an expression in it is damaged");
      if (two) --depth;
    }
  }
  require(depth == 1, "an expression in it is damaged");
}

oz::Expression tape_from(const Record& tape, int inputs) {
  oz::Expression out;
  const Column<int> operation = integers(tape, "operation");
  const Column<double> argument = numbers(tape, "argument", operation.size);
  for (int i = 0; i < operation.size; ++i)
    out.push_back({static_cast<oz::Operation>(operation[i]), argument[i]});
  check_tape(out, inputs);
  return out;
}

void read_entries(const Record& from, oz::Model& model) {
  const Column<int> family = integers(from, "family");
  const int entries = family.size, groups = model.groups.size();
  const Column<int> group = integers(from, "group", entries), row = integers(from, "row", entries);
  const Column<int> col = integers(from, "col", entries);
  model.entries.reserve(entries);
  for (int e = 0; e < entries; ++e) {
    require(family[e] >= 0 && family[e] <= 2, "an entry in it is of no known family");
    const int g = index_within(group[e], groups), variables = model.groups[g].variables;
    const bool mean = family[e] == static_cast<int>(oz::Family::Mean);
    model.entries.push_back({static_cast<oz::Family>(family[e]), g, index_within(row[e], variables),
                             mean ? row[e] - 1 : index_within(col[e], variables)});
  }
}

void read_map(const Record& from, oz::Model& model) {
  const int entries = model.entries.size();
  model.map.parameters = integers(from, "parameters", 1).only();
  require(model.map.parameters >= 0, "its number of parameters is negative");
  model.map.constant = Eigen::Map<const oz::Vector>(numbers(from, "constant", entries).at, entries);
  model.map.rows.resize(entries);
  const Column<int> entry = integers(from, "map_entry"),
                    parameter = integers(from, "map_parameter", entry.size);
  const Column<double> weight = numbers(from, "map_weight", entry.size);
  for (int i = 0; i < entry.size; ++i)
    model.map.rows[index_within(entry[i], entries)].push_back(
        {index_within(parameter[i], model.map.parameters), weight[i]});
}

void read_scales(const Record& from, oz::Model& model) {
  const SEXP scales = element(from, "scales");
  const int entries = model.entries.size();
  for (int s = 0; s < Rf_length(scales); ++s) {
    const Record scale = VECTOR_ELT(scales, s);
    const int g = index_within(integers(scale, "group", 1).only(), model.groups.size());
    const int kind = integers(scale, "kind", 1).only();
    require(kind >= 0 && kind <= 4, "a scale in it is of no known kind");
    oz::Scale item{g,
                   index_within(integers(scale, "construct", 1).only(), model.groups[g].variables),
                   static_cast<oz::ScaleKind>(kind),
                   index_within(integers(scale, "marker", 1).only(), entries, true),
                   index_within(integers(scale, "variance", 1).only(), entries, true),
                   {},
                   integers(scale, "closed", 1).only() != 0};
    const Column<int> loadings = integers(scale, "loadings");
    item.loadings.reserve(loadings.size);
    for (int i = 0; i < loadings.size; ++i)
      item.loadings.push_back(index_within(loadings[i], entries));
    model.scales.push_back(item);
  }
}

void read_constraints(const Record& from, oz::Model& model) {
  const SEXP constraints = element(from, "constraints");
  for (int k = 0; k < Rf_length(constraints); ++k) {
    const Record constraint = VECTOR_ELT(constraints, k);
    const Column<int> inputs = integers(constraint, "inputs");
    oz::Constraint item{
        tape_from(constraint, inputs.size), {}, {}, integers(constraint, "bound", 1).only() != 0};
    for (int i = 0; i < inputs.size; ++i)
      item.inputs.push_back(index_within(inputs[i], model.entries.size()));
    item.unit.assign(item.inputs.size(), 1.0);
    model.constraints.push_back(item);
  }
}

// The cases of one missing pattern of a group with `size` observed variables.
oz::Block pattern_from(const Record& from, int group, int size) {
  oz::Block block;
  block.group = group;
  block.n = Rf_asReal(element(from, "n"));
  require(block.n > 0, "its number of cases is not positive");
  const Column<int> variables = integers(from, "variables");
  oz::Sequence<char> seen(size, 0);
  for (int i = 0; i < variables.size; ++i) {
    const int v = index_within(variables[i], size);
    require(!seen[v], "a variable is twice in a pattern");
    seen[v] = 1;
    block.variables.push_back(v);
  }
  const int p = variables.size;
  require(p > 0, "a pattern has no variables");
  block.covariance = Eigen::Map<const oz::Matrix>(numbers(from, "covariance", p * p).at, p, p);
  block.mean = Eigen::Map<const oz::Vector>(numbers(from, "mean", p).at, p);
  return block;
}

}  // namespace

oz::Expression expression_from(SEXP tape, int inputs) { return tape_from(tape, inputs); }

oz::Model model_from(SEXP model_list) {
  const Record from(model_list);
  oz::Model model;
  const Column<int> observed = integers(from, "observed"),
                    variables = integers(from, "variables", observed.size),
                    places = integers(from, "places", observed.size);
  int all = 0;
  for (int g = 0; g < observed.size; ++g) all += variables[g];
  const Column<int> ranks = integers(from, "ranks", all);
  for (int g = 0, next = 0; g < observed.size; ++g) {
    require(observed[g] >= 0 && variables[g] >= observed[g],
            "it has fewer variables than observed ones");
    oz::Shape shape{observed[g], variables[g], {}, places[g]};
    for (int v = 0; v < variables[g]; ++v) shape.rank.push_back(ranks[next++]);
    model.groups.push_back(shape);
  }
  model.means = integers(from, "means", 1).only() != 0;
  read_entries(from, model);
  read_map(from, model);
  read_scales(from, model);
  read_constraints(from, model);
  return model;
}

oz::Sequence<oz::Block> patterns_from(SEXP from, int group, int size) {
  oz::Sequence<oz::Block> out;
  require(TYPEOF(from) == VECSXP, "its patterns are not a list");
  for (int k = 0; k < Rf_length(from); ++k)
    out.push_back(pattern_from(VECTOR_ELT(from, k), group, size));
  return out;
}

oz::Sample sample_from(SEXP groups, const oz::Model& model) {
  oz::Sample out;
  require(Rf_length(groups) == static_cast<int>(model.groups.size()),
          "its moments are of other groups");
  for (int g = 0; g < Rf_length(groups); ++g) {
    const Record group = VECTOR_ELT(groups, g);
    const int p = model.groups[g].observed;
    oz::Block block;
    block.group = g;
    block.n = Rf_asReal(element(group, "n"));
    require(block.n > 0, "its number of cases is not positive");
    block.covariance = Eigen::Map<const oz::Matrix>(numbers(group, "covariance", p * p).at, p, p);
    if (!Rf_isNull(element(group, "mean")))
      block.mean = Eigen::Map<const oz::Vector>(numbers(group, "mean", p).at, p);
    else
      require(!model.means, "it models means that it does not know");
    out.push_back(block);
    const SEXP patterns = optional(group, "patterns");
    if (Rf_isNull(patterns)) continue;
    require(model.means, "patterns need a model of the means");
    for (const oz::Block& pattern : patterns_from(patterns, g, p)) out.patterns.push_back(pattern);
  }
  oz::Sequence<char> has_patterns(model.groups.size(), out.patterns.empty());
  for (const oz::Block& pattern : out.patterns) has_patterns[pattern.group] = 1;
  for (char has : has_patterns) require(has, "one of its groups lacks patterns");
  return out;
}

// The cases behind the sample, by group; NULL is none.
oz::Sequence<oz::Cases> cases_from(SEXP groups, const oz::Model& model) {
  oz::Sequence<oz::Cases> out;
  if (Rf_isNull(groups)) return out;
  require(Rf_length(groups) == static_cast<int>(model.groups.size()),
          "its cases are of other groups");
  for (int g = 0; g < Rf_length(groups); ++g) {
    const Record group = VECTOR_ELT(groups, g);
    const int p = model.groups[g].observed;
    const Column<double> values = numbers(group, "values");
    require(p > 0 && values.size % p == 0, "its cases have other variables");
    const int n = values.size / p;
    oz::Cases cases;
    cases.values = Eigen::Map<const oz::Matrix>(values.at, n, p);
    if (!Rf_isNull(optional(group, "weight")))
      cases.weight = Eigen::Map<const oz::Vector>(numbers(group, "weight", n).at, n);
    if (!Rf_isNull(optional(group, "cluster"))) {
      const Column<int> cluster = integers(group, "cluster", n);
      // clusters of several groups are numbered over all of them
      cases.shared = !Rf_isNull(optional(group, "shared"));
      if (cases.shared) cases.clusters = integers(group, "shared", 1)[0];
      const int most = cases.shared ? cases.clusters : n;
      for (int i = 0; i < n; ++i) {
        require(cluster[i] >= 1 && cluster[i] <= most, "a cluster of it has no number");
        cases.cluster.push_back(cluster[i] - 1);
        cases.clusters = std::max(cases.clusters, cluster[i]);
      }
    }
    out.push_back(cases);
  }
  return out;
}

namespace {

oz::Vector vector_within(const Record& group, const char* name, int size) {
  const Column<double> from = numbers(group, name);
  require(from.size == 0 || from.size == size, "a part of a population has another length");
  return Eigen::Map<const oz::Vector>(from.at, from.size);
}

oz::Population population_from(SEXP group) {
  const Record from(group);
  oz::Population out;
  out.cases = Rf_asInteger(element(from, "cases"));
  require(out.cases > 0, "a population has no cases");
  const Column<double> mean = numbers(from, "mean");
  const int p = mean.size;
  out.mean = Eigen::Map<const oz::Vector>(mean.at, p);
  out.sd = Eigen::Map<const oz::Vector>(numbers(from, "sd", p).at, p);
  out.root = Eigen::Map<const oz::Matrix>(numbers(from, "root", p * p).at, p, p);
  const Column<double> cubic = numbers(from, "cubic");
  require(cubic.size == 0 || cubic.size == 3 * p, "the shape of a population has another length");
  if (cubic.size > 0) out.cubic = Eigen::Map<const oz::Matrix>(cubic.at, p, 3);
  const Column<int> clusters = integers(from, "clusters");
  int clustered = 0;
  for (int c = 0; c < clusters.size; ++c) {
    require(clusters[c] >= 0, "a cluster has no size");
    out.clusters.push_back(clusters[c]);
    clustered += clusters[c];
  }
  require(clusters.size == 0 || clustered == out.cases, "clusters of a population lack cases");
  out.between = Rf_asReal(element(from, "between"));
  const Column<double> missing = numbers(from, "missing");
  require(missing.size == 0 || missing.size == out.cases * p,
          "the missing values of a population are of another size");
  if (missing.size > 0) out.missing = Eigen::Map<const oz::Matrix>(missing.at, out.cases, p);
  out.odds = vector_within(from, "odds", p);
  out.slope = vector_within(from, "slope", oz::to_int(out.odds.size()));
  out.given = index_within(Rf_asInteger(element(from, "given")), p, true);
  const Column<int> kept = integers(from, "kept");
  for (int v = 0; v < kept.size; ++v) out.kept.push_back(index_within(kept[v], p));
  require(out.given < 0 || out.slope.size() == out.odds.size(),
          "slopes of a population are others");
  return out;
}

}  // namespace

std::unique_ptr<oz::Source> source_from(SEXP source, const oz::Model& model,
                                        const oz::Sequence<oz::Vector>& unit) {
  const Record from(source);
  const int less = integers(from, "less", 1).only();
  const SEXP cases = optional(from, "cases");
  if (!Rf_isNull(cases)) {
    oz::Sequence<oz::Cases> rows = cases_from(cases, model);
    if (!unit.empty()) rows = oz::in_units(std::move(rows), unit);
    oz::Sequence<oz::Sequence<int>> parts;
    const SEXP given = optional(from, "parts");
    for (int g = 0; g < Rf_length(given); ++g) {
      const SEXP own = VECTOR_ELT(given, g);
      require(TYPEOF(own) == INTSXP && g < static_cast<int>(rows.size()) &&
                  Rf_length(own) == rows[g].values.rows(),
              "its parts are of other cases");
      parts.emplace_back(INTEGER(own), INTEGER(own) + Rf_length(own));
    }
    require(parts.empty() || parts.size() == rows.size(), "its parts are of other groups");
    return std::make_unique<oz::Resampled>(rows, less, std::move(parts));
  }
  const SEXP groups = element(from, "populations");
  require(TYPEOF(groups) == VECSXP && Rf_length(groups) == static_cast<int>(model.groups.size()),
          "its populations are of other groups");
  oz::Sequence<oz::Population> populations;
  for (int g = 0; g < Rf_length(groups); ++g) {
    populations.push_back(population_from(VECTOR_ELT(groups, g)));
    const oz::Population& own = populations.back();
    const int given = own.kept.empty() ? oz::to_int(own.mean.size()) : own.kept.size();
    require(given == model.groups[g].observed, "its populations have other variables");
  }
  return std::make_unique<oz::Drawn>(std::move(populations), less, unit);
}

oz::Sequence<UnseenPairs> unseen_from(SEXP groups, const oz::Model& model) {
  oz::Sequence<UnseenPairs> out(model.groups.size());
  for (int g = 0; g < Rf_length(groups); ++g) {
    const SEXP pairs = optional(VECTOR_ELT(groups, g), "unseen");
    if (Rf_isNull(pairs)) continue;
    require(TYPEOF(pairs) == INTSXP && Rf_length(pairs) % 2 == 0, "its unseen pairs are damaged");
    const int count = Rf_length(pairs) / 2, p = model.groups[g].observed;
    const int* at = INTEGER(pairs);
    for (int k = 0; k < count; ++k)
      out[g].push_back({index_within(at[k], p), index_within(at[k + count], p)});
  }
  return out;
}

void check_length(const Eigen::VectorXd& x, int size) {
  require(x.size() == size, "its values have another length");
}

// Results of core_saturated_information(), by group.
oz::Sequence<oz::SaturatedInformation> saturated_from(const Rcpp::List& groups,
                                                      const oz::Sequence<UnseenPairs>& unseen,
                                                      const oz::Model& model) {
  require(groups.size() == static_cast<int>(model.groups.size()),
          "its information is of other groups");
  oz::Sequence<oz::SaturatedInformation> out(oz::to_int(groups.size()));
  for (int g = 0; g < groups.size(); ++g) {
    const Rcpp::List own = groups[g];
    out[g].information = Rcpp::as<Eigen::MatrixXd>(own["information"]);
    out[g].inverse = Rcpp::as<Eigen::MatrixXd>(own["inverse"]);
    const int p = model.groups[g].observed;
    const int size = p * (p + 3) / 2 - static_cast<int>(unseen[g].size());
    require(out[g].information.rows() == size && out[g].inverse.rows() == size,
            "its saturated information has another size");
  }
  return out;
}

oz::MeanCovariances mean_covariances_from(const Rcpp::List& cross, const Rcpp::List& means,
                                          int parameters, const oz::Model& model) {
  const int groups = model.groups.size();
  require(cross.size() == means.size() && (means.size() == 0 || means.size() == groups),
          "its covariances of means are of other groups");
  oz::MeanCovariances out;
  for (int g = 0; g < means.size(); ++g) {
    out.cross.push_back(Rcpp::as<Eigen::MatrixXd>(cross[g]));
    out.own.push_back(Rcpp::as<Eigen::MatrixXd>(means[g]));
    const int p = model.groups[g].observed;
    require(out.own[g].rows() == p && out.own[g].cols() == p && out.cross[g].rows() == parameters &&
                out.cross[g].cols() == p,
            "its covariances of means have another size");
  }
  return out;
}
