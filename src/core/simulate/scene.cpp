#include "simulate/scene.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "base/units.h"
#include "simulate/random.h"

namespace edge {
namespace {

constexpr int kWedgeColumns = 7;

Quad box(double x, double y, double w, double h) {
  return {{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}};
}

// The bench in units of the picture's height (its width is 16/9).
struct Bench {
  static constexpr double kGreyX = 1.10, kGreyY = 0.62, kCell = 0.098, kGap = 0.006;
  static constexpr double kColourX = 1.10, kColourY = 0.06;
};

// Stops of the twelve greys from 18 %: from white card to black card.
constexpr std::array<double, 12> kGreys = {2.3, 1.8, 1.3, 0.8, 0.4, 0.0, -0.5, -1.0, -1.6, -2.2, -2.9, -3.6};

// Eighteen colours of our own: hues round the circle at three depths, with skins and foliage among them.
constexpr std::array<std::array<float, 3>, 18> kColours = {{{0.42F, 0.09F, 0.06F},
                                                            {0.45F, 0.22F, 0.05F},
                                                            {0.47F, 0.38F, 0.05F},
                                                            {0.20F, 0.32F, 0.06F},
                                                            {0.06F, 0.25F, 0.10F},
                                                            {0.05F, 0.24F, 0.24F},
                                                            {0.06F, 0.14F, 0.36F},
                                                            {0.13F, 0.08F, 0.33F},
                                                            {0.33F, 0.07F, 0.26F},
                                                            {0.48F, 0.30F, 0.22F},
                                                            {0.30F, 0.17F, 0.11F},
                                                            {0.13F, 0.07F, 0.045F},
                                                            {0.10F, 0.14F, 0.05F},
                                                            {0.25F, 0.36F, 0.55F},
                                                            {0.55F, 0.44F, 0.32F},
                                                            {0.38F, 0.48F, 0.42F},
                                                            {0.24F, 0.24F, 0.38F},
                                                            {0.36F, 0.25F, 0.26F}}};

Quad greyBox(int i) {
  return box(Bench::kGreyX + (i % 6) * (Bench::kCell + Bench::kGap),
             Bench::kGreyY + (i / 6) * (Bench::kCell + Bench::kGap), Bench::kCell, Bench::kCell);
}

Quad colourBox(int i) {
  return box(Bench::kColourX + (i % 6) * (Bench::kCell + Bench::kGap),
             Bench::kColourY + (i / 6) * (Bench::kCell + Bench::kGap), Bench::kCell, Bench::kCell);
}

bool inside(const Quad& q, double x, double y) {
  return x >= q[0].x && x < q[1].x && y >= q[0].y && y < q[2].y;
}

// Smooth value noise in 0..1 for cloth, skin and hair.
double hashNoise(int x, int y, std::uint64_t seed) {
  return RandomStream(seed, static_cast<std::uint64_t>(x + 4096), static_cast<std::uint64_t>(y + 4096))
      .uniform();
}

double smoothNoise(double x, double y, std::uint64_t seed) {
  const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
  const double u = x - ix, v = y - iy;
  const double sx = u * u * (3 - 2 * u), sy = v * v * (3 - 2 * v);
  const double top = hashNoise(ix, iy, seed) * (1 - sx) + hashNoise(ix + 1, iy, seed) * sx;
  const double bottom = hashNoise(ix, iy + 1, seed) * (1 - sx) + hashNoise(ix + 1, iy + 1, seed) * sx;
  return top * (1 - sy) + bottom * sy;
}

struct Head {
  double x, y, rx, ry;  // centre and half axes
  std::array<double, 3> skin;
  double shine;
  std::uint64_t seed;
};

const std::array<Head, 2> kHeads = {{{0.34, 0.47, 0.165, 0.235, {0.47, 0.345, 0.27}, 0.30, 11},
                                     {0.79, 0.49, 0.160, 0.230, {0.145, 0.082, 0.055}, 0.16, 12}}};

// Light on a mannequin head: key from upper left, weak fill from the right, a soft shine on the forehead.
bool headAt(const Head& h, double x, double y, std::array<double, 3>& out) {
  double u = (x - h.x) / h.rx, v = (y - h.y) / h.ry;
  // Neck and shoulders.
  const bool neck = v > 0.75 && v < 1.35 && std::abs(u) < 0.45;
  const double r2 = u * u + v * v;
  if (r2 >= 1 && !neck) return false;
  if (neck && r2 >= 1) v *= 0.3, u *= 1.6;
  double nx = u, ny = v, nz = std::sqrt(std::max(0.02, 1 - std::min(0.98, u * u + v * v)));
  // Nose and eye sockets bend the surface.
  const double nose = std::exp(-(u * u) / 0.012 - (v - 0.12) * (v - 0.12) / 0.05);
  nx += 1.6 * u / 0.12 * nose * 0.25, nz += 0.2 * nose;
  for (double side : {-0.36, 0.36}) {
    const double ex = u - side, ey = v + 0.10, socket = std::exp(-(ex * ex) / 0.03 - ey * ey / 0.012);
    ny -= ey / 0.11 * socket * 0.5, nx -= ex / 0.17 * socket * 0.3;
  }
  const double mouth = std::exp(-(u * u) / 0.06 - (v - 0.52) * (v - 0.52) / 0.0012);
  const double length = std::sqrt(nx * nx + ny * ny + nz * nz);
  nx /= length, ny /= length, nz /= length;
  const auto lambert = [&](double lx, double ly, double lz) {
    return std::max(0.0, nx * lx + ny * ly + nz * lz);
  };
  const double key = lambert(-0.52, -0.45, 0.73), fill = lambert(0.75, 0.05, 0.66);
  const double shine = std::pow(std::max(0.0, nx * -0.28 + ny * -0.62 + nz * 0.73), 40) * h.shine;
  const double skinTexture = 1 + 0.05 * (smoothNoise(x * 170, y * 170, h.seed) - 0.5);
  const double light = (0.95 * key + 0.20 * fill + 0.03) * skinTexture * (1 - 0.35 * mouth);
  for (int c = 0; c < 3; ++c) out[c] = h.skin[c] * light + shine;
  // Hair: strands run down the skull.
  const double hairline = -0.52 + 0.10 * std::cos(u * 3);
  if (v < hairline) {
    const double strand =
        smoothNoise(x * 420 + 6 * smoothNoise(x * 30, y * 30, h.seed + 1), y * 26, h.seed + 2);
    const double hair = (0.012 + 0.075 * strand * strand) * (0.35 + 0.9 * key);
    out = {hair * 1.15, hair, hair * 0.82};
  }
  return true;
}

std::array<double, 3> wallAt(double x, double y) {
  const double g = 0.055 + 0.16 * x / 1.78;
  const double plaster = 1 + 0.01 * (smoothNoise(x * 60, y * 60, 5) - 0.5);
  return {g * plaster * 1.0, g * plaster, g * plaster};
}

std::array<double, 3> clothAt(bool white, double x, double y) {
  const double fold = 0.78 + 0.22 * std::sin(x * 46 + 3 * std::sin(y * 13));
  const double weave = 1 + 0.10 * (hashNoise(static_cast<int>(x * 700), static_cast<int>(y * 700), 7) - 0.5);
  const double g = (white ? 0.78 : 0.022) * fold * weave;
  return {g, g, white ? g * 0.97 : g};
}

std::array<double, 3> benchAt(double x, double y) {
  std::array<double, 3> c = wallAt(x, y);
  if (y > 0.86) c = {0.035, 0.030, 0.026};  // bench top
  if (x > 0.06 && x < 0.30 && y > 0.78 && y < 0.97) c = clothAt(true, x, y);
  if (x > 0.70 && x < 0.98 && y > 0.80 && y < 0.97) c = clothAt(false, x, y);
  for (const auto& h : kHeads) headAt(h, x, y, c);
  if (x > Bench::kGreyX - 0.012 && y > Bench::kColourY - 0.012 && y < 0.84 &&
      x < Bench::kGreyX + 6 * 0.104 + 0.006)
    if ((y < Bench::kColourY + 3 * 0.104 + 0.006) || y > Bench::kGreyY - 0.012) c = {0.03, 0.03, 0.03};
  for (int i = 0; i < 12; ++i)
    if (inside(greyBox(i), x, y)) {
      const double g = kMiddleGrey * std::exp2(kGreys[i]);
      c = {g, g, g};
    }
  for (int i = 0; i < 18; ++i)
    if (inside(colourBox(i), x, y)) c = {kColours[i][0], kColours[i][1], kColours[i][2]};
  return c;
}

Quad toPixels(const Quad& q, int height) {
  return scaled(q, height, height);
}

}  // namespace

Chart wedgeChart(const std::vector<double>& stops, int width, int height) {
  Chart c;
  c.referenceWidth = width, c.referenceHeight = height;
  const int rows = (static_cast<int>(stops.size()) + kWedgeColumns - 1) / kWedgeColumns;
  const double cellW = width / (kWedgeColumns + 1.0), cellH = height / (rows + 1.5);
  for (size_t i = 0; i < stops.size(); ++i) {
    Patch p;
    p.name = std::to_string(i + 1), p.stops = stops[i], p.stopsSigma = 0.01;
    const double x = cellW / 2 + static_cast<double>(i % kWedgeColumns) * cellW;
    const double y = cellH * 0.75 + static_cast<double>(i / kWedgeColumns) * cellH;
    p.corners = box(std::round(x + cellW * 0.06), std::round(y + cellH * 0.06), std::round(cellW * 0.88),
                    std::round(cellH * 0.88));
    c.patches.push_back(p);
  }
  return c;
}

SceneImage renderWedge(const Chart& chart, int width, int height) {
  SceneImage s{width, height, std::vector<float>(3 * static_cast<size_t>(width) * height, 0.0F)};
  for (const auto& p : chart.patches) {
    const auto level = static_cast<float>(std::exp2(*p.stops));
    for (const auto& span : rasterise(p.corners, width, height))
      for (int x = span.x0; x < span.x1; ++x) std::fill_n(s.at(x, span.y), 3, level);
  }
  return s;
}

Chart benchChart(int width, int height) {
  Chart c;
  c.kind = "colour";
  c.referenceWidth = width, c.referenceHeight = height;
  for (int i = 0; i < 12; ++i) {
    Patch p;
    p.name = "grey " + std::to_string(i + 1), p.corners = toPixels(greyBox(i), height);
    p.stops = kGreys[i], p.role = i == 0 ? "white" : i == 11 ? "black" : "grey";
    c.patches.push_back(p);
  }
  for (int i = 0; i < 18; ++i) {
    Patch p;
    p.name = "colour " + std::to_string(i + 1), p.corners = toPixels(colourBox(i), height);
    c.patches.push_back(p);
  }
  c.grey = "grey 6";
  return c;
}

std::vector<Patch> benchRegions(int, int height) {
  const auto region = [&](const char* name, const char* role, double x, double y, double w, double h) {
    Patch p;
    p.name = name, p.role = role, p.corners = toPixels(box(x, y, w, h), height);
    return p;
  };
  return {region("forehead", "skin", 0.24, 0.355, 0.11, 0.055),
          region("cheek", "skin", 0.22, 0.47, 0.06, 0.08),
          region("deep forehead", "skin", 0.70, 0.375, 0.11, 0.055),
          region("white cloth", "white", 0.08, 0.80, 0.20, 0.14),
          region("black cloth", "black", 0.73, 0.82, 0.22, 0.12),
          region("wall", "", 0.52, 0.05, 0.10, 0.30)};
}

SceneImage renderBench(int width, int height) {
  SceneImage s{width, height, std::vector<float>(3 * static_cast<size_t>(width) * height)};
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const auto c = benchAt((x + 0.5) / height, (y + 0.5) / height);
      for (int k = 0; k < 3; ++k) s.at(x, y)[k] = static_cast<float>(c[k]);
    }
  return s;
}

SceneImage renderField(int width, int height) {
  constexpr float kFall = 0.02F;  // of the light, from edge to edge
  SceneImage out{width, height, std::vector<float>(3 * static_cast<size_t>(width) * height)};
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      std::fill_n(out.at(x, y), 3,
                  static_cast<float>(kMiddleGrey) *
                      (1 - kFall * (static_cast<float>(x) / static_cast<float>(width) - 0.5F)));
  return out;
}

SceneImage withInfrared(SceneImage scene, double density, double leak) {
  constexpr float kSees[3] = {1, 0.35F, 0.45F};                       // infrared by channel
  constexpr float kBlackCloth = 0.7F, kElse = 0.35F, kOfLuma = 0.5F;  // what things send back of it
  const auto strength = static_cast<float>(leak * std::pow(10, density));
  for (int y = 0; y < scene.height; ++y)
    for (int x = 0; x < scene.width; ++x) {
      const double u = (x + 0.5) / scene.height, v = (y + 0.5) / scene.height;
      const bool black = u > 0.70 && u < 0.98 && v > 0.80 && v < 0.97;
      float* p = scene.at(x, y);
      const float back = black ? kBlackCloth : kElse + kOfLuma * p[1];
      for (int c = 0; c < 3; ++c) p[c] += strength * kSees[c] * back;
    }
  return scene;
}

SceneImage renderStrobe(int width, int height, const StrobeLight& s, double start) {
  SceneImage scene{width, height, std::vector<float>(3 * static_cast<size_t>(width) * height)};
  const auto lit = [&](double t) {  // integral of the lamp from 0 to t
    const double cycles = t * s.hz, whole = std::floor(cycles);
    return (whole * s.duty + std::min(cycles - whole, s.duty)) / s.hz;
  };
  for (int y = 0; y < height; ++y) {
    const double open = start + s.readoutSeconds * y / height;
    const double share = (lit(open + s.shutterSeconds) - lit(open)) / (s.shutterSeconds * s.duty);
    for (int x = 0; x < width; ++x) {
      const double off = 2.0 * x / width - 1;
      const auto level = static_cast<float>(kMiddleGrey * (1 - 0.2 * off * off) * (0.1 + 0.9 * share));
      for (int c = 0; c < 3; ++c) scene.at(x, y)[c] = level;
    }
  }
  return scene;
}

SceneImage withSlate(SceneImage scene, const QrSymbol& symbol, double height, double turnDegrees) {
  constexpr int kQuiet = 4;  // modules of white around, as the standard asks
  constexpr float kWhite = 0.75F, kBlack = 0.035F;
  const double side = height * scene.height, module = side / (symbol.side + 2 * kQuiet);
  const double turn = turnDegrees / kDegrees, c = std::cos(turn), s = std::sin(turn);
  for (int y = 0; y < scene.height; ++y)
    for (int x = 0; x < scene.width; ++x) {
      const double dx = x + 0.5 - scene.width / 2.0, dy = y + 0.5 - scene.height / 2.0;
      const double u = c * dx + s * dy + side / 2, v = -s * dx + c * dy + side / 2;
      if (u < 0 || v < 0 || u >= side || v >= side) continue;
      const int i = static_cast<int>(u / module) - kQuiet, j = static_cast<int>(v / module) - kQuiet;
      const bool inside = i >= 0 && j >= 0 && i < symbol.side && j < symbol.side;
      std::fill_n(scene.at(x, y), 3, inside && symbol.at(i, j) ? kBlack : kWhite);
    }
  return scene;
}

}  // namespace edge
