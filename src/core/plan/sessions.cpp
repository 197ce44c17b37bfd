#include "plan/sessions.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "plan/order.h"

namespace edge {
namespace {

using Order = std::vector<Take>;

std::string sessionKey(const Plan& plan, const Take& t) {
  const TestSeries& s = plan.series[t.series];
  std::string key = fmt::format("{}|{}|{}|{}", s.body, wordOf(blockOf(s.kind).scene), s.request.lens.name,
                                t.settings.gel.value());
  for (const auto& l : t.settings.lamps) key += fmt::format("|{:.6f}", l.distance.value());
  return key;
}

// Like settings next to each other, from dark to bright: a sitter's eyes follow.
auto levelKey(const Take& t) {
  return std::make_tuple(t.settings.shutter.value(), t.settings.aperture.value(), -t.settings.nd.value(),
                         t.settings.light.value());
}

bool isBase(const Take& t, int index) {
  return t.role == TakeRole::Base && t.baseIndex == index;
}

// One series and set-up: base, lower half of its steps, base, upper half, base.
struct Strand {
  Order first, lower, middle, upper, last;
};

Strand strandOf(Order takes) {
  Strand s;
  Order steps;
  for (auto& t : takes) {
    if (isBase(t, 0))
      s.first.push_back(std::move(t));
    else if (isBase(t, 1))
      s.middle.push_back(std::move(t));
    else if (isBase(t, 2))
      s.last.push_back(std::move(t));
    else
      steps.push_back(std::move(t));
  }
  std::stable_sort(steps.begin(), steps.end(),
                   [](const Take& a, const Take& b) { return levelKey(a) < levelKey(b); });
  const auto half = static_cast<std::ptrdiff_t>(steps.size() / 2);
  s.lower.assign(steps.begin(), steps.begin() + half);
  s.upper.assign(steps.begin() + half, steps.end());
  return s;
}

void append(Order& to, const Order& from) {
  to.insert(to.end(), from.begin(), from.end());
}

// Strands step by step together: levels in turn, modes and ISOs back and forth.
Order woven(const std::vector<const Order*>& parts) {
  Order all;
  for (const auto* p : parts) append(all, *p);
  std::stable_sort(all.begin(), all.end(),
                   [](const Take& a, const Take& b) { return levelKey(a) < levelKey(b); });
  Order out;
  bool back = false;
  for (size_t i = 0; i < all.size();) {
    size_t end = i + 1;
    while (end < all.size() && levelKey(all[end]) == levelKey(all[i])) ++end;
    Order level(all.begin() + static_cast<std::ptrdiff_t>(i), all.begin() + static_cast<std::ptrdiff_t>(end));
    std::stable_sort(level.begin(), level.end(), [](const Take& a, const Take& b) {
      return std::tie(a.series, a.iso) < std::tie(b.series, b.iso);
    });
    if (back) std::reverse(level.begin(), level.end());
    append(out, level), back = !back, i = end;
  }
  return out;
}

Order sessionOf(std::vector<Strand> strands, bool interleave) {
  Order out;
  if (!interleave) {
    for (const auto& s : strands)
      for (const Order* part : {&s.first, &s.lower, &s.middle, &s.upper, &s.last}) append(out, *part);
    return out;
  }
  for (Order Strand::*part :
       {&Strand::first, &Strand::lower, &Strand::middle, &Strand::upper, &Strand::last}) {
    std::vector<const Order*> parts;
    for (const auto& s : strands) parts.push_back(&(s.*part));
    append(out, woven(parts));
  }
  return out;
}

// Blocks one after the other: each goes where it lengthens the way least, then single moves while they help.
class Chain {
 public:
  Chain(const Recipe& recipe, const Plan& plan, std::vector<Order> blocks)
      : blocks_(std::move(blocks)), n_(blocks_.size()) {
    cost_.resize(n_ * n_);
    for (size_t i = 0; i < n_; ++i)
      for (size_t j = 0; j < n_; ++j)
        if (i != j) cost_[i * n_ + j] = changeSeconds(recipe, plan, blocks_[i].back(), blocks_[j].front());
  }

  Order run() {
    for (size_t i = 0; i < n_; ++i) insert(i);
    for (int round = 0; round < 6 && improve(); ++round) {
    }
    Order out;
    for (size_t i : way_) append(out, blocks_[i]);
    return out;
  }

 private:
  [[nodiscard]] double between(size_t a, size_t b) const { return cost_[a * n_ + b]; }

  // What it costs to have `i` before position `at`.
  [[nodiscard]] double extra(size_t i, size_t at) const {
    const bool before = at > 0, after = at < way_.size();
    double c = 0;
    if (before) c += between(way_[at - 1], i);
    if (after) c += between(i, way_[at]);
    if (before && after) c -= between(way_[at - 1], way_[at]);
    return c;
  }

  void insert(size_t i) {
    size_t best = 0;
    for (size_t at = 1; at <= way_.size(); ++at)
      if (extra(i, at) < extra(i, best) - 1e-9) best = at;
    way_.insert(way_.begin() + static_cast<std::ptrdiff_t>(best), i);
  }

  [[nodiscard]] double length() const {
    double c = 0;
    for (size_t k = 1; k < way_.size(); ++k) c += between(way_[k - 1], way_[k]);
    return c;
  }

  bool improve() {
    const double before = length();
    for (size_t i = 0; i < n_; ++i) {
      way_.erase(std::find(way_.begin(), way_.end(), i));
      insert(i);
    }
    return length() < before - 1e-9;
  }

  std::vector<Order> blocks_;
  size_t n_;
  std::vector<double> cost_;
  std::vector<size_t> way_;
};

}  // namespace

Order sessionOrder(const Recipe& recipe, const Plan& plan, const Order& takes, bool interleave) {
  // session -> series and set-up -> takes, each in the order they came
  std::map<std::string, std::map<std::pair<size_t, int>, Order>> sessions;
  for (const auto& t : takes) sessions[sessionKey(plan, t)][{t.series, t.setup}].push_back(t);
  std::vector<Order> blocks;
  for (auto& [key, groups] : sessions) {
    std::vector<Strand> strands;
    std::vector<Order> own;
    for (auto& [id, list] : groups) strands.push_back(strandOf(std::move(list)));
    if (interleave) {
      blocks.push_back(sessionOf(std::move(strands), true));
      continue;
    }
    for (auto& s : strands) own.push_back(sessionOf({std::move(s)}, false));
    blocks.push_back(Chain(recipe, plan, std::move(own)).run());
  }
  return Chain(recipe, plan, std::move(blocks)).run();
}

}  // namespace edge
