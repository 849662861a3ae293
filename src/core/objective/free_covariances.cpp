#include "free_covariances.hpp"

#include <algorithm>
#include <map>
#include <utility>

namespace orizzonte {

FreeCovariances free_covariances(const Model& model) {
  FreeCovariances out;
  out.variables.resize(model.groups.size());
  out.parameter.assign(model.map.parameters, 0);
  Sequence<int> moved(model.map.parameters, 0);  // entries by parameter
  for (const Terms& terms : model.map.rows)
    for (const Term& term : terms) ++moved[term.parameter];
  Sequence<std::map<std::pair<int, int>, int>> known(model.groups.size());
  for (int e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    const Terms& terms = model.map.rows[e];
    const int observed = model.groups[entry.group].observed;
    if (entry.family != Family::Covariance || entry.row < observed || entry.col < observed)
      continue;
    if (terms.size() != 1 || moved[terms[0].parameter] != 1) continue;
    known[entry.group][std::minmax(entry.row, entry.col)] = terms[0].parameter;
  }
  for (int g = 0; g < known.size(); ++g) {
    // those with most partners first; a variable joins if it covaries freely with all previous ones
    Sequence<int> degree(model.groups[g].variables, 0), order;
    for (const auto& pair : known[g]) {
      ++degree[pair.first.first];
      ++degree[pair.first.second];
    }
    for (int v = 0; v < degree.size(); ++v)
      if (known[g].count({v, v})) order.push_back(v);
    std::stable_sort(order.begin(), order.end(),
                     [&](int a, int b) { return degree[a] > degree[b]; });
    Sequence<int>& chosen = out.variables[g];
    for (int v : order) {
      const bool joins = std::all_of(chosen.begin(), chosen.end(), [&](int other) {
        return known[g].count(std::minmax(v, other)) > 0;
      });
      if (joins) chosen.push_back(v);
    }
    for (int a : chosen)
      for (int b : chosen)
        if (a <= b) {
          out.parameter[known[g][{a, b}]] = 1;
          ++out.size;
        }
  }
  return out;
}

}  // namespace orizzonte
