// The functions for the geometry of path diagrams that R calls.
#include "from_r.h"

#include "core/geometry/routes.hpp"

namespace {

oz::Path path_from(const Rcpp::NumericMatrix& points) {
  oz::Path out;
  for (int k = 0; k < points.nrow(); ++k) out.push_back({points(k, 0), points(k, 1)});
  return out;
}

// `boxes`: x, y, w, h and `round`, each with a value per box.
std::vector<oz::Box> boxes_from(const Rcpp::List& boxes) {
  const Rcpp::NumericVector x = boxes["x"], y = boxes["y"], w = boxes["w"], h = boxes["h"];
  const Rcpp::LogicalVector round = boxes["round"];
  std::vector<oz::Box> out;
  for (R_xlen_t k = 0; k < x.size(); ++k)
    out.push_back({{x[k], y[k]}, w[k], h[k], round[k] == TRUE});
  return out;
}

}  // namespace

// The place of the best of several ways between two boxes of a diagram; 0 when there is none.
// [[Rcpp::export(rng = false)]]
int core_best_way(Rcpp::List ways, std::vector<double> extra, Rcpp::List boxes, Rcpp::List values,
                  Rcpp::NumericMatrix pieces, std::vector<double> page, double unit) {
  oz::Surroundings around;
  around.boxes = boxes_from(boxes);
  around.values = boxes_from(values);
  for (int k = 0; k < pieces.nrow(); ++k)
    around.pieces.push_back({{pieces(k, 0), pieces(k, 1)},
                             {pieces(k, 2), pieces(k, 3)},
                             static_cast<int>(pieces(k, 4)),
                             pieces(k, 5)});
  around.page_width = page.at(0);
  around.page_height = page.at(1);
  around.unit = unit;
  std::vector<oz::Path> paths;
  for (R_xlen_t k = 0; k < ways.size(); ++k)
    paths.push_back(path_from(Rcpp::as<Rcpp::NumericMatrix>(ways[k])));
  if (extra.size() != paths.size()) Rcpp::stop("a cost for each way is needed");
  return oz::best_way(paths, extra, around) + 1;
}

// Counts the boxes that a line crosses. Its points are at most `step` apart.
// [[Rcpp::export(rng = false)]]
int core_boxes_crossed(Rcpp::NumericMatrix path, Rcpp::List boxes, double margin, double step) {
  return oz::boxes_crossed(oz::dense(path_from(path), step), boxes_from(boxes), margin);
}

// The part of a line between the outlines of its two boxes.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_clipped(Rcpp::NumericMatrix points, Rcpp::List from, Rcpp::List to) {
  const oz::Path out = oz::clipped(path_from(points), boxes_from(from).at(0), boxes_from(to).at(0));
  Rcpp::NumericMatrix made(static_cast<int>(out.size()), 2);
  for (int k = 0; k < made.nrow(); ++k) {
    made(k, 0) = out[static_cast<std::size_t>(k)].x;
    made(k, 1) = out[static_cast<std::size_t>(k)].y;
  }
  return made;
}
