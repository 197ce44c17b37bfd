#include "recover/edge_law.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "measure/nonnegative_fit.h"

namespace edge {
namespace {

constexpr double kLeftOut = 2;  // what is off altogether over what leaving one take out shows of it
constexpr double kSeen = 2;     // sigmas from which a figure says how it grows
// Of what the display compresses of a large shift, what is not known of it.
constexpr double kCompression = 0.8;
constexpr int kCompressionSteps = 40;
constexpr double kMostCompressed = 0.8;  // share of it that a display may compress
constexpr double kNearest = 0.9999;      // a correlation beyond which its logarithm says nothing

// Straight, or nearly so, in these two.
double heightOf(EdgeLaw law, double value) {
  if (law != EdgeLaw::Logistic) return std::log(value);
  const double v = std::clamp(value, 1 - kNearest, kNearest);
  return std::log(1 / (v * v) - 1);
}
double heightSigma(EdgeLaw law, const EdgePoint& p) {
  if (law != EdgeLaw::Logistic) return p.sigma / p.value;
  const double v = std::clamp(p.value, 1 - kNearest, kNearest);
  return 2 * p.sigma / (v * (1 - v * v));
}
// What is left of a black level after bring-back, over what it is in the base: 2^d - 1 towards the dark, 1 -
// 2^-d towards the light.
double growthOf(Side side, double distance) {
  return side == Side::Under ? std::exp2(distance) - 1 : 1 - std::exp2(-distance);
}

struct Node {
  double x, y;
};

bool tells(EdgeLaw law, const EdgePoint& p) {
  if (!(p.value > 0)) return false;
  if (law == EdgeLaw::Power) return p.distance > 0 && p.value > kSeen * p.sigma;
  return law != EdgeLaw::Straight || p.value > kSeen * p.sigma;
}

// Monotone piecewise cubic through the nodes around one interval (F. N. Fritsch, R. E. Carlson, SIAM J.
// Numer. Anal. 17, 1980; the weighted harmonic mean of F. N. Fritsch, J. Butland, SIAM J. Sci. Stat. Comput.
// 5, 1984).
class MonotoneCubic {
 public:
  MonotoneCubic(Node a, Node b, std::optional<Node> before, std::optional<Node> after) : a_(a), b_(b) {
    const double own = slope(a, b);
    slopeA_ = before ? meanSlope(slope(*before, a), own, a.x - before->x, b.x - a.x) : own;
    slopeB_ = after ? meanSlope(own, slope(b, *after), b.x - a.x, after->x - b.x) : own;
  }
  [[nodiscard]] double at(double x) const {
    const double h = b_.x - a_.x, t = (x - a_.x) / h, t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * a_.y + (t3 - 2 * t2 + t) * h * slopeA_ + (3 * t2 - 2 * t3) * b_.y +
           (t3 - t2) * h * slopeB_;
  }

 private:
  static double slope(Node a, Node b) { return (b.y - a.y) / (b.x - a.x); }
  static double meanSlope(double left, double right, double leftWidth, double rightWidth) {
    if (left * right <= 0) return 0;
    const double w1 = 2 * rightWidth + leftWidth, w2 = rightWidth + 2 * leftWidth;
    return (w1 + w2) / (w1 / left + w2 / right);
  }
  Node a_, b_;
  double slopeA_ = 0, slopeB_ = 0;
};

// v^2 of a noise over the distance to the base: L/(1 + c L), L = a 4^d + b 2^d + f of read noise, photons and
// what is fixed, c what the display compresses of strong noise. The squares are linear in a, b, f once c is
// taken off: c is searched for. nullptr: fewer than two takes tell.
std::function<double(double)> noiseModel(const std::vector<EdgePoint>& points, size_t last) {
  std::vector<std::pair<double, double>> seen;  // 2^d, v^2
  double most = 0;
  for (size_t i = 0; i < points.size() && i <= last; ++i) {
    if (!(points[i].value > 0)) continue;
    seen.emplace_back(std::exp2(points[i].distance), points[i].value * points[i].value);
    most = std::max(most, seen.back().second);
  }
  if (seen.size() < 2) return nullptr;
  double least = std::numeric_limits<double>::infinity();
  std::vector<double> best;
  const int steps = seen.size() > 3 ? kCompressionSteps : 0;  // three takes fit three terms whatever c
  for (int i = 0; i <= steps; ++i) {
    const double c = kMostCompressed * i / kCompressionSteps / most;
    std::vector<std::vector<double>> rows;
    for (const auto& [light, square] : seen) {
      const double whole = square / (1 - c * square);
      rows.push_back({light * light / whole, light / whole, 1 / whole});
    }
    const auto terms = nonNegativeFit(rows, std::vector<double>(rows.size(), 1));
    if (!terms) continue;
    double misfit = 0;
    for (const auto& row : rows)
      misfit += std::pow(std::log((*terms)[0] * row[0] + (*terms)[1] * row[1] + (*terms)[2] * row[2]), 2);
    if (misfit >= least) continue;
    least = misfit;
    best = {(*terms)[0], (*terms)[1], (*terms)[2], c};
  }
  if (best.empty()) return nullptr;
  return [t = best](double d) {
    const double light = std::exp2(d), whole = t[0] * light * light + t[1] * light + t[2];
    return 0.5 * std::log(whole / (1 + t[3] * whole));
  };
}

double solve(const std::function<double(double)>& height, double from, double to, double wanted) {
  const bool rising = height(to) > height(from);
  for (int i = 0; i < 60; ++i) {
    const double middle = (from + to) / 2;
    ((height(middle) < wanted) == rising ? from : to) = middle;
  }
  return (from + to) / 2;
}

// Only the take beyond the limit shows a shift: from nothing at the base it grows as X does (growthOf), and
// what the display compresses of a large one is read from the next take out: 1/v = a/X + b.
std::optional<Limit> fromBeyond(Side side, const std::vector<EdgePoint>& points, size_t good, double limit) {
  const EdgePoint& bad = points[good + 1];
  if (!tells(EdgeLaw::Power, bad)) return std::nullopt;
  const auto growth = [side](const EdgePoint& p) { return growthOf(side, p.distance); };
  const auto at = [&](double compressed) {
    const double wanted = growth(bad) * (1 / bad.value - compressed) / (1 / limit - compressed);
    const double distance =
        side == Side::Under ? std::log2(1 + wanted) : -std::log2(std::max(1e-9, 1 - wanted));
    return std::clamp(distance, points[good].distance, bad.distance);
  };
  double compressed = 0;
  if (good + 2 < points.size() && tells(EdgeLaw::Power, points[good + 2])) {
    const EdgePoint& next = points[good + 2];
    const double x = 1 / growth(bad), further = 1 / growth(next);
    compressed = (1 / next.value * x - 1 / bad.value * further) / (x - further);
    compressed = std::clamp(compressed, 0.0, kMostCompressed / bad.value);
  }
  const double sampling = bad.sigma / bad.value / std::log(2.0);  // a stop for a doubling
  const double law =
      compressed > 0 ? kCompression * (at(0) - at(compressed)) : at(0) - at(kMostCompressed / 2 / bad.value);
  return Limit{at(compressed), std::hypot(sampling, law, bad.distanceSigma), false};
}

// How the figure runs between the takes on either side of the limit.
struct Course {
  std::function<double(double)> height;  // over the distance
  double at = 0;                         // where it meets the limit
};

std::optional<Course> courseOf(EdgeLaw law, Side side, const std::vector<EdgePoint>& points, size_t good,
                               double limit) {
  const EdgePoint &a = points[good], &b = points[good + 1];
  const auto model = law == EdgeLaw::Noise ? noiseModel(points, good + 2) : nullptr;
  const auto place = [law, side, model](double d) {
    return law == EdgeLaw::Power ? std::log(growthOf(side, d)) : model ? model(d) : d;
  };
  const auto node = [&](size_t i) { return Node{place(points[i].distance), heightOf(law, points[i].value)}; };
  // A model that fits leaves nothing for its neighbours to bend.
  const auto neighbour = [&](size_t i) {
    return !model && i < points.size() && tells(law, points[i]) ? std::optional(node(i)) : std::nullopt;
  };
  const Node na = node(good), nb = node(good + 1);
  if (!(nb.x > na.x)) return std::nullopt;
  const MonotoneCubic cubic(na, nb, good > 0 ? neighbour(good - 1) : std::nullopt, neighbour(good + 2));
  Course c;
  c.height = [cubic, place](double d) { return cubic.at(place(d)); };
  c.at = solve(c.height, a.distance, b.distance, heightOf(law, limit));
  return c;
}

// What the law may be off by: by how much the crossing moves when each of the other takes next to it is left
// out.
double lawError(EdgeLaw law, Side side, const std::vector<EdgePoint>& points, size_t good, double limit,
                double at) {
  double squares = 0;
  for (size_t i = good > 0 ? good - 1 : 0; i < points.size() && i <= good + 2; ++i) {
    if (i == good || i == good + 1) continue;
    std::vector<EdgePoint> others = points;
    others.erase(others.begin() + static_cast<std::ptrdiff_t>(i));
    if (const auto c = courseOf(law, side, others, i < good ? good - 1 : good, limit))
      squares += std::pow(c->at - at, 2);
  }
  return kLeftOut * std::sqrt(squares);
}

}  // namespace

std::optional<Limit> crossingBy(EdgeLaw law, Side side, const std::vector<EdgePoint>& points, size_t good,
                                double limit) {
  if (good + 1 >= points.size() || !(limit > 0)) return std::nullopt;
  const EdgePoint &a = points[good], &b = points[good + 1];
  if (!(b.distance > a.distance)) return std::nullopt;
  if (!tells(law, a) || !tells(law, b))
    return law == EdgeLaw::Power ? fromBeyond(side, points, good, limit) : std::nullopt;
  const auto course = courseOf(law, side, points, good, limit);
  if (!course) return std::nullopt;
  const double share = (course->at - a.distance) / (b.distance - a.distance);
  constexpr double kStep = 0.01;  // stops
  const double slope =
      std::abs(course->height(course->at + kStep) - course->height(course->at - kStep)) / (2 * kStep);
  const double sampling =
      std::hypot((1 - share) * heightSigma(law, a), share * heightSigma(law, b)) / std::max(slope, 1e-3);
  const double places = std::hypot((1 - share) * a.distanceSigma, share * b.distanceSigma);
  return Limit{course->at, std::hypot(sampling, places, lawError(law, side, points, good, limit, course->at)),
               false};
}

}  // namespace edge
