// The geometry of lines between boxes: where a line leaves its boxes, which boxes and lines it
// crosses, and which of several lines is least in the way.
#pragma once
#include <vector>

namespace orizzonte {

struct Point {
  double x = 0;
  double y = 0;
};
using Path = std::vector<Point>;

// A rectangle, or the ellipse within it, around its centre.
struct Box {
  Point centre;
  double width = 0;
  double height = 0;
  bool round = false;
};

// A straight piece of an existing line: the number of its line, and the cost of crossing it.
struct Piece {
  Point from;
  Point to;
  int line = 0;
  double weight = 1;
};

// Points no further apart than `step`.
Path dense(const Path& path, double step);

// Counts the boxes, each larger by `margin` on every side, that a line crosses.
int boxes_crossed(const Path& points, const std::vector<Box>& boxes, double margin);

// The weights of the lines that a path crosses, each line counted once.
double lines_crossed(const Path& path, const std::vector<Piece>& pieces);

// The part of a path between the outlines of the boxes it joins, with its ends on the outlines.
Path clipped(Path points, const Box& from, const Box& to);

// The boxes, values and lines that a way should not cross, and the page.
struct Surroundings {
  std::vector<Box> boxes;
  std::vector<Box> values;  // of residuals
  std::vector<Piece> pieces;
  double page_width = 0;
  double page_height = 0;
  double unit = 1;
};

// The place of the best of several ways: through no box, on the page, crossing few lines, short.
// `extra`: a cost of each way of its own.
int best_way(const std::vector<Path>& ways, const std::vector<double>& extra,
             const Surroundings& around);

}  // namespace orizzonte
