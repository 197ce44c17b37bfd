// What to change so that a step can be had: gel, distance, ND, shutter, iris, bounce, in this order.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plan/rig.h"

using nlohmann::json;

namespace edge {
namespace {

json patchAt(const char* op, const std::string& path, const json& value) {
  return json::array({{{"op", op}, {"path", path}, {"value", value}}});
}

class Rescuer {
 public:
  Rescuer(const Recipe& recipe, const RouteRequest& request, const Route& route, bool over, double held)
      : recipe_(recipe), request_(request), over_(over), held_(held) {
    for (const auto& s : route.steps)
      if (!s.possible && s.tooMuch != over) short_ = std::max(short_, s.shortBy);
    if (!route.bases.empty()) base_ = &route.bases.front();
  }

  std::vector<Rescue> run() {
    allow(Control::Light, "allow dimming as a control");
    if (!over_) gelIn();
    move();
    filters();
    allow(Control::Nd, "allow ND as a control");
    shutter();
    allow(Control::Iris, "allow the iris as a control");
    lens();
    byHand();
    askLess();
    return std::move(list_);
  }

 private:
  void add(std::string words, double gain, json patch) {
    list_.push_back({std::move(words), gain, std::move(patch), std::nullopt});
  }

  [[nodiscard]] bool uses(Control c) const {
    return std::find(request_.controls.begin(), request_.controls.end(), c) != request_.controls.end();
  }

  [[nodiscard]] std::string testPath() const { return fmt::format("/tests/{}", request_.test); }

  void byHand() {
    if (request_.fixedLight)
      add(over_ ? "a brighter light behind the wedge" : "neutral film behind the wedge", std::ceil(short_),
          nullptr);
    else
      add(over_ ? "a second lamp beside the key" : "bounce the key off a wall instead of pointing it",
          over_ ? 1.0 : 2.0, nullptr);
  }

  void gelIn() {
    if (request_.fixedLight) return;
    const double d = std::max(0.6, std::ceil(short_ * kDensityPerStop / 0.3) * 0.3);
    if (!keyLamp(recipe_) || d > 3.01) return;
    json gels = recipe_.gels;
    gels.push_back(d);
    add(fmt::format("gel ND{:.1f} on the lamps for the under side", d), d / kDensityPerStop,
        patchAt("add", "/gels", gels));
  }

  void move() {
    const LampSpec* key = keyLamp(recipe_);
    if (!key || request_.fixedLight) return;
    const double from = over_ ? key->nearest : key->farthest;
    const double factor = std::exp2(std::max(0.5, std::ceil(short_ * 2) / 2) / 2);
    const double to = std::round((over_ ? from / factor : from * factor) * 20) / 20;
    if (to < 0.3 || to > 30) return;
    json patch = json::array();
    for (size_t i = 0; i < recipe_.lamps.size(); ++i) {
      const LampSpec& l = recipe_.lamps[i];
      if (!followsKey(l, *key)) continue;
      const double share = to / key->distance;
      patch.push_back({{"op", "add"},
                       {"path", fmt::format("/lamps/{}/{}", i, over_ ? "nearest_m" : "farthest_m")},
                       {"value", std::round(l.distance * share * 1000) / 1000}});
    }
    add(fmt::format("{} from {:g} m to {:g} m, the others alike", key->name, from, to),
        std::abs(2 * std::log2(from / to)), patch);
  }

  void filters() {
    if (!uses(Control::Nd) || over_) return;  // over: the solver has tried every filter in the base
    const double d = std::max(0.6, std::ceil(short_ * kDensityPerStop / 0.3) * 0.3);
    if (d <= 3.01)
      add(fmt::format("a filter ND{:.1f} more", d), d / kDensityPerStop,
          patchAt("add", "/nd/-", {{"density", d}}));
  }

  void allow(Control c, const char* words) {
    if (uses(c) || request_.fixedLight) return;
    double gain = 0;
    const auto stacks = filterStacks(recipe_);
    const auto positions = lensPositions(request_.lens);
    const Rig rig = rigAt(recipe_, 1, 0);
    if (c == Control::Light) gain = rig.low > 0 ? std::log2(rig.high / rig.low) : 0;
    if (c == Control::Nd)
      gain =
          over_ ? (base_ ? base_->nd.value() / kDensityPerStop : 0) : stacks.back().density / kDensityPerStop;
    if (c == Control::Iris)
      gain = base_ ? 2 * std::abs(std::log2(base_->aperture.value() /
                                            (over_ ? positions.front() : positions.back()).exact))
                   : 0;
    if (gain < 0.1) return;
    add(words, gain, patchAt("add", testPath() + "/controls", withControl(c)));
  }

  [[nodiscard]] json withControl(Control c) const {
    json controls = json::array();
    for (Control k : request_.controls) controls.push_back(wordOf(k));
    controls.push_back(wordOf(c));
    return controls;
  }

  void shutter() {
    const double base = shutterTime(recipe_.baseShutter, request_.fps).value();
    const double end = shutterTime(over_ ? recipe_.slowest : recipe_.fastest, request_.fps).value();
    const double gain = std::abs(std::log2(end / base));
    if (!uses(Control::Shutter)) {
      if (gain > 0.1)
        add(over_ ? "allow a slower shutter (more motion blur)"
                  : "allow a faster shutter (less blur, check flicker)",
            gain, patchAt("add", testPath() + "/controls", withControl(Control::Shutter)));
      return;
    }
    const double limit = shutterTime("360deg", request_.fps).value();
    if (over_ && end < limit * 0.99)
      add("open the shutter to 360 degrees", std::log2(limit / end),
          patchAt("add", "/shutter/slowest", "360deg"));
  }

  void lens() {
    const auto own = lensPositions(request_.lens);
    const LensSpec* best = nullptr;
    double gain = 0.1;
    for (const auto& l : recipe_.lenses) {
      const auto p = lensPositions(l);
      const double g = over_ ? 2 * std::log2(own.front().exact / p.front().exact)
                             : 2 * std::log2(p.back().exact / own.back().exact);
      if (g > gain) best = &l, gain = g;
    }
    if (best)
      add("use " + best->name, gain,
          patchAt("add", fmt::format("/bodies/{}/lens", request_.body), best->name));
  }

  // The cheapest of all: do without what can't be had.
  void askLess() {
    if (base_)
      add(fmt::format("ask for {:+g} only", held_), 0,
          patchAt("add", testPath() + (over_ ? "/over" : "/under"), std::abs(held_)));
  }

  const Recipe& recipe_;
  const RouteRequest& request_;
  bool over_;
  double held_ = 0;  // the last step that can be had
  double short_ = 0;
  const TakeSettings* base_ = nullptr;
  std::vector<Rescue> list_;
};

}  // namespace

std::vector<Rescue> rescues(const Recipe& recipe, const RouteRequest& request, const Route& route,
                            bool over) {
  // Steps that hold without a gap from the base on.
  std::vector<std::pair<double, bool>> side;
  for (const auto& s : route.steps)
    if (s.planned != 0 && (s.planned > 0) == over) side.push_back({s.planned, s.possible});
  std::sort(side.begin(), side.end(),
            [](const auto& a, const auto& b) { return std::abs(a.first) < std::abs(b.first); });
  double held = 0;
  for (const auto& [stops, possible] : side) {
    if (!possible) break;
    held = stops;
  }
  return Rescuer(recipe, request, route, over, held).run();
}

}  // namespace edge
