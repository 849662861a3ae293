// Scores of single cases, by parameters and by entries of the model.
#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "normal_theory.hpp"

namespace orizzonte {

namespace {

// Numbers of the cases of each block: those that have its variables.
Sequence<Sequence<int>> cases_by_block(const Sequence<Tables>& blocks, const GroupLayout& layout,
                                       const Matrix& values) {
  Sequence<Sequence<int>> out(blocks.size());
  if (blocks.size() == 1 && blocks[0].complete()) {
    out[0].resize(to_int(values.rows()));
    std::iota(out[0].begin(), out[0].end(), 0);
    return out;
  }
  std::map<Sequence<int>, int> known;
  for (int b = 0; b < blocks.size(); ++b) known[blocks[b].rows()] = b;
  for (int i = 0; i < values.rows(); ++i) {
    Sequence<int> seen;
    for (int v = 0; v < layout.observed; ++v)
      if (!std::isnan(values(i, v))) seen.push_back(layout.position[v]);
    std::sort(seen.begin(), seen.end());
    const auto found = known.find(seen);
    if (found != known.end()) out[found->second].push_back(i);
  }
  return out;
}

}  // namespace

// Calls sink(block, numbers of its cases, their table).
template <class Sink>
void NormalTheory::by_block(int g, const Matrix& values, About about, Sink&& sink) {
  prepare(Information::Expected);
  Group& group = groups_[g];
  Sequence<int> from(group.layout.observed);  // internal place -> caller's variable
  for (int v = 0; v < group.layout.observed; ++v) from[group.layout.position[v]] = v;
  const Sequence<Sequence<int>> numbers = cases_by_block(group.blocks, group.layout, values);
  Matrix deviations, table;
  for (int b = 0; b < numbers.size(); ++b) {
    if (numbers[b].empty()) continue;
    const Tables& block = group.blocks[b];
    const int p = block.complete() ? group.layout.observed : block.rows().size();
    const bool own_means = about == About::Data || !means_;
    deviations.resize(p, numbers[b].size());
    for (int i = 0; i < p; ++i) {
      const int place = block.complete() ? i : block.rows()[i];
      const double mean = own_means ? block.data_mean()[i] : group.at.mean[place];
      for (int k = 0; k < numbers[b].size(); ++k)
        deviations(i, k) = values(numbers[b][k], from[place]) - mean;
    }
    block.case_table(group.at, group.layout, deviations, table);
    sink(block, numbers[b], table);
  }
}

// Scores of the cases of a block by one entry; `table` is Z' W (x - mu).
static Vector slot_scores(const GroupMatrices& at, const Tables& block, const Slot& slot,
                          const Matrix& table, bool means) {
  Vector out = Vector::Zero(table.rows());
  if (slot.half != 0)
    out = slot.half * (table.col(slot.x).cwiseProduct(table.col(slot.y)).array() -
                       block.w_table(slot.x, slot.y));
  const double mean = means ? moment(at, slot) : 0;
  if (mean != 0) out += mean * table.col(slot.x);
  return out;
}

void NormalTheory::case_scores(int g, const Matrix& values, About about, Matrix& out) {
  out.setZero(values.rows(), model().map.parameters);
  const Group& group = groups_[g];
  by_block(g, values, about,
           [&](const Tables& block, const Sequence<int>& cases, const Matrix& table) {
             for (const Slot& slot : group.slots) {
               const Vector own = slot_scores(group.at, block, slot, table, means_);
               for (const Term& term : model().map.rows[slot.entry])
                 for (int k = 0; k < cases.size(); ++k)
                   out(cases[k], term.parameter) += term.weight * own[k];
             }
           });
}

void NormalTheory::case_entry_scores(int g, const Matrix& values, const Sequence<int>& entries,
                                     Matrix& out) {
  out.setZero(values.rows(), entries.size());
  const Sequence<Slot> slots = find_slots(entries);
  const Group& group = groups_[g];
  by_block(g, values, About::Model,
           [&](const Tables& block, const Sequence<int>& cases, const Matrix& table) {
             for (int c = 0; c < entries.size(); ++c) {
               if (model().entries[entries[c]].group != g) continue;
               const Vector own = slot_scores(group.at, block, slots[c], table, means_);
               for (int k = 0; k < cases.size(); ++k) out(cases[k], c) = own[k];
             }
           });
}

}  // namespace orizzonte
