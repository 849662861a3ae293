#include "routes.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace orizzonte {

namespace {

// Lines end at this distance outside the outline of their box (inches).
constexpr double outline_margin = 0.012;

bool is_inside(const Point& point, const Box& box, double margin) {
  const double dx = std::abs(point.x - box.centre.x);
  const double dy = std::abs(point.y - box.centre.y);
  const double w = box.width / 2 + margin;
  const double h = box.height / 2 + margin;
  if (!box.round) return dx <= w && dy <= h;
  return (dx / w) * (dx / w) + (dy / h) * (dy / h) <= 1;
}

// The point at which a line from inside a box leaves it and is not within the other box.
Point on_outline(const Point& inner, const Point& outer, const Box& box, const Box& other) {
  constexpr int parts = 64;
  for (int k = 0; k <= parts; ++k) {
    const double t = static_cast<double>(k) / parts;
    const Point point{inner.x + t * (outer.x - inner.x), inner.y + t * (outer.y - inner.y)};
    if (!is_inside(point, box, outline_margin) && !is_inside(point, other, 0)) return point;
  }
  return outer;
}

// On which side of the line from p to q a point lies: positive, negative, or 0 on it.
double turn(const Point& p, const Point& q, const Point& point) {
  return (q.x - p.x) * (point.y - p.y) - (q.y - p.y) * (point.x - p.x);
}

bool cross(const Point& a, const Point& b, const Point& c, const Point& d) {
  return turn(a, b, c) * turn(a, b, d) < 0 && turn(c, d, a) * turn(c, d, b) < 0;
}

// At most 13 points of a path, evenly spaced by number.
Path thinned(const Path& path) {
  const std::size_t count = path.size();
  if (count <= 13) return path;
  Path out;
  const double by = static_cast<double>(count - 1) / 12;
  for (int k = 0; k <= 12; ++k)
    out.push_back(path[static_cast<std::size_t>(std::nearbyint(1 + k * by)) - 1]);
  return out;
}

bool is_off_page(const Path& path, double width, double height) {
  constexpr double margin = 0.03;
  return std::any_of(path.begin(), path.end(), [&](const Point& point) {
    return point.x < margin || point.x > width - margin || point.y < margin ||
           point.y > height - margin;
  });
}

double length_of(const Path& path) {
  long double sum = 0;
  for (std::size_t k = 1; k < path.size(); ++k) {
    const double dx = path[k].x - path[k - 1].x;
    const double dy = path[k].y - path[k - 1].y;
    sum += std::sqrt(static_cast<double>(static_cast<long double>(dx * dx) + dy * dy));
  }
  return static_cast<double>(sum);
}

}  // namespace

Path dense(const Path& path, double step) {
  Path out;
  if (!path.empty()) out.push_back(path.front());
  for (std::size_t k = 1; k < path.size(); ++k) {
    const Point& from = path[k - 1];
    const double dx = path[k].x - from.x;
    const double dy = path[k].y - from.y;
    const double parts = std::max(1.0, std::ceil(std::sqrt(dx * dx + dy * dy) / step));
    for (double i = 1; i <= parts; ++i)
      out.push_back({from.x + i / parts * dx, from.y + i / parts * dy});
  }
  return out;
}

int boxes_crossed(const Path& points, const std::vector<Box>& boxes, double margin) {
  int hit = 0;
  for (const Box& box : boxes) {
    const double w = box.width / 2 + margin;
    const double h = box.height / 2 + margin;
    hit += std::any_of(points.begin(), points.end(), [&](const Point& point) {
      const double dx = std::abs(point.x - box.centre.x) / w;
      const double dy = std::abs(point.y - box.centre.y) / h;
      return box.round ? dx * dx + dy * dy < 1 : dx < 1 && dy < 1;
    });
  }
  return hit;
}

double lines_crossed(const Path& path, const std::vector<Piece>& pieces) {
  const Path thin = thinned(path);
  if (thin.size() < 2) return 0;
  double low_x = std::numeric_limits<double>::infinity();
  double low_y = low_x;
  double high_x = -low_x;
  double high_y = -low_x;
  for (const Point& point : path) {
    low_x = std::min(low_x, point.x);
    high_x = std::max(high_x, point.x);
    low_y = std::min(low_y, point.y);
    high_y = std::max(high_y, point.y);
  }
  std::vector<int> crossed;
  double sum = 0;
  for (const Piece& piece : pieces) {
    if (std::max(piece.from.x, piece.to.x) < low_x || std::min(piece.from.x, piece.to.x) > high_x ||
        std::max(piece.from.y, piece.to.y) < low_y || std::min(piece.from.y, piece.to.y) > high_y)
      continue;
    if (std::find(crossed.begin(), crossed.end(), piece.line) != crossed.end()) continue;
    for (std::size_t k = 1; k < thin.size(); ++k)
      if (cross(thin[k - 1], thin[k], piece.from, piece.to)) {
        crossed.push_back(piece.line);
        sum += piece.weight;
        break;
      }
  }
  return sum;
}

Path clipped(Path points, const Box& from, const Box& to) {
  if (points.size() < 2) return points;
  if (points.size() == 2) points = {points[0], points[0], points[1], points[1]};
  const std::size_t count = points.size();
  // counted from 1; 0 and count + 1: none
  std::size_t first = 0;
  for (std::size_t k = 0; k < count; ++k)
    if (is_inside(points[k], from, outline_margin)) first = k + 1;
  std::size_t last = count + 1;
  for (std::size_t k = first; k < count && last > count; ++k)
    if (is_inside(points[k], to, outline_margin)) last = k + 1;
  Path out;
  if (first > 0 && first < count)
    out.push_back(on_outline(points[first - 1], points[first], from, to));
  for (std::size_t k = first + 1; k < last; ++k) out.push_back(points[k - 1]);
  if (last <= count && last > 1)
    out.push_back(on_outline(points[last - 1], points[last - 2], to, from));
  if (out.size() < 2) return {points.front(), points.back()};
  // an arrow head needs a direction
  Path moving = {out.front()};
  for (std::size_t k = 1; k < out.size(); ++k)
    if (std::abs(out[k].x - out[k - 1].x) + std::abs(out[k].y - out[k - 1].y) >= 1e-6)
      moving.push_back(out[k]);
  return moving;
}

int best_way(const std::vector<Path>& ways, const std::vector<double>& extra,
             const Surroundings& around) {
  int best = -1;
  double lowest = std::numeric_limits<double>::infinity();
  for (std::size_t k = 0; k < ways.size(); ++k) {
    double cost = 0.35 * length_of(ways[k]) / around.unit + extra[k];
    if (cost >= lowest) continue;
    const Path points = dense(ways[k], 0.04);
    cost += 100 * boxes_crossed(points, around.boxes, 0.03 * around.unit) +
            60 * is_off_page(ways[k], around.page_width, around.page_height);
    if (cost < lowest)
      cost += lines_crossed(ways[k], around.pieces) + 4 * boxes_crossed(points, around.values, 0);
    if (cost < lowest) {
      best = static_cast<int>(k);
      lowest = cost;
    }
  }
  return best;
}

}  // namespace orizzonte
