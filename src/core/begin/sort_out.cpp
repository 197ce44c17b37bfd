#include "begin/sort_out.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "base/numbers.h"
#include "begin/bracket_order.h"
#include "color/curve.h"
#include "project/setup.h"

namespace edge {
namespace {

constexpr double kSameScene = 0.85;                     // rank correlation
constexpr double kOverlap = 0.3, kLeastOverlap = 0.12;  // of what the clip that shows more shows
constexpr double kEmpty = 0.3;          // structure below which a picture is nothing but noise
constexpr double kBlackSpread = 0.005;  // of the group's span of codes
constexpr double kBlackApart = 0.0015;  // the same, between two cap-on clips
constexpr double kEvenLight = 0.15;     // spread of an even field against its middle
constexpr double kEvenCode = 0.03;      // the same of codes
constexpr double kJumpLight = 0.2;      // of light, more than a lamp drifts within a few frames
constexpr double kJumpCode = 0.05;
constexpr double kLinearTop = 0.5;  // of the span, up to where all channels of a block are whole
constexpr double kCodeTop = 0.97;
constexpr double kBars = 0.85;          // share of variance between rows
constexpr int kFewestCrossings = 4;     // two bars
constexpr double kDarkSurround = 0.45;  // share of a wedge's picture that is as good as black
constexpr double kSurround = 0.06;      // of the span of codes
constexpr double kBrightLight = 0.03;   // of the span: where the first step of a wedge lies at least
constexpr double kBrightCode = 0.35;

// Clips of one camera in one mode.
class ModeSorter {
 public:
  ModeSorter(const std::vector<ClipLook>& looks, std::vector<size_t> members, const SortOptions& options,
             const Progress& progress)
      : looks_(looks), members_(std::move(members)), options_(options), progress_(progress) {}

  std::vector<SortedGroup> run(const std::string& body, const std::string& mode) {
    span();
    std::vector<size_t> scenic;
    for (const size_t i : members_) {
      const ClipLook& l = looks_[i];
      if (isBlack(i))
        setAside(i, ClipRole::Black, "nothing but noise, darker than all others: cap on");
      else if (l.barred > kBars && l.crossings >= kFewestCrossings)
        setAside(i, ClipRole::Strobe, fmt::format("bars across the frame, {} edges", l.crossings));
      else if (l.jump > (l.linear() ? kJumpLight * meanCode(i) : kJumpCode) + l.noise)
        setAside(i, ClipRole::Unknown, "its frames differ as takes do: single takes that share a name?");
      else
        scenic.push_back(i);
    }
    std::vector<SortedGroup> groups;
    for (const auto& scene : scenes(scenic)) sortScene(scene, groups);
    place(groups);
    for (auto& g : groups) g.body = body, g.mode = mode;
    return groups;
  }

 private:
  void span() {
    double low = 1e9, high = -1e9;
    darkest_ = 1e9;
    for (const size_t i : members_) {
      const auto [least, most] = std::minmax_element(looks_[i].code.begin(), looks_[i].code.end());
      low = std::min<double>(low, *least), high = std::max<double>(high, *most);
      darkest_ = std::min(darkest_, meanCode(i));
    }
    span_ = high - low;
    const bool linear = looks_[members_.front()].linear();
    black_ = linear ? 0 : low;
    top_ = low + (linear ? kLinearTop : kCodeTop) * span_;
    for (const size_t i : members_)
      if (isBlack(i)) black_ = meanCode(i);
  }

  // Nothing but noise, and no brighter than the darkest of them.
  [[nodiscard]] bool isBlack(size_t i) const {
    const ClipLook& l = looks_[i];
    const double alike = std::max(4 * l.noise, l.linear() ? 0.0 : kBlackApart * span_);
    const bool empty =
        l.structure < kEmpty || spreadOf(l) < std::max(6 * l.noise, l.linear() ? 0.0 : kBlackSpread * span_);
    return empty && meanCode(i) < darkest_ + alike;
  }
  // A wall out of focus shows no scene that could be compared.
  [[nodiscard]] static bool isEven(const ClipLook& l) {
    auto v = l.code;
    const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
    std::nth_element(v.begin(), middle, v.end());
    return spreadOf(l) < (l.linear() ? kEvenLight * std::abs(*middle) : kEvenCode) + 6 * l.noise;
  }

  // Its group is found when there are any.
  void setAside(size_t look, ClipRole role, std::string why) {
    SortedClip c;
    c.look = look, c.role = role, c.why = std::move(why);
    loose_.push_back(std::move(c));
  }

  // Of the picture, without its outermost blocks.
  static double spreadOf(const ClipLook& l) {
    auto v = l.code;
    std::sort(v.begin(), v.end());
    return v[v.size() * 99 / 100] - v[v.size() / 100];
  }

  [[nodiscard]] bool oneScene(size_t a, size_t b) const {
    const auto alike = likeness(looks_[a], looks_[b], black_, top_);
    if (!alike || alike->rank < kSameScene) return false;
    // A wedge and a bench have a few lit blocks in common, and no scene.
    return alike->overlap > kOverlap ||
           (alike->overlap > kLeastOverlap && !isWedge(looks_[a]) && !isWedge(looks_[b]));
  }

  // Clips that show one scene, by single linkage from the darkest to the brightest: neighbours in exposure
  // share what the ends do not. A clip is compared with the last few of every scene begun, and scenes it
  // joins become one.
  [[nodiscard]] std::vector<std::vector<size_t>> scenes(std::vector<size_t> clips) const {
    constexpr size_t kLast = 6;
    std::stable_sort(clips.begin(), clips.end(),
                     [&](size_t a, size_t b) { return meanCode(a) < meanCode(b); });
    std::vector<std::vector<size_t>> out;
    for (const size_t i : clips) {
      progress_.throwIfCancelled();
      std::vector<size_t> joined;
      for (size_t s = 0; s < out.size(); ++s)
        if (std::any_of(out[s].rbegin(),
                        out[s].rbegin() + static_cast<std::ptrdiff_t>(std::min(kLast, out[s].size())),
                        [&](size_t other) { return oneScene(other, i); }))
          joined.push_back(s);
      if (joined.empty()) {
        out.push_back({i});
        continue;
      }
      auto& home = out[joined.front()];
      for (size_t k = joined.size(); k-- > 1;) {
        home.insert(home.end(), out[joined[k]].begin(), out[joined[k]].end());
        out.erase(out.begin() + static_cast<std::ptrdiff_t>(joined[k]));
      }
      std::stable_sort(home.begin(), home.end(),
                       [&](size_t a, size_t b) { return meanCode(a) < meanCode(b); });
      home.push_back(i);
    }
    for (auto& scene : out) std::sort(scene.begin(), scene.end());
    std::sort(out.begin(), out.end());
    return out;
  }

  // Most of it as good as black, and bright steps in it.
  [[nodiscard]] bool isWedge(const ClipLook& l) const {
    const double dark = black_ + std::max(8 * l.noise, kSurround * (l.linear() ? 0.1 : 1) * span_);
    const auto below = std::count_if(l.code.begin(), l.code.end(), [dark](float v) { return v < dark; });
    const float peak = *std::max_element(l.code.begin(), l.code.end());
    return static_cast<double>(below) > kDarkSurround * static_cast<double>(l.code.size()) &&
           peak > black_ + (l.linear() ? kBrightLight : kBrightCode) * span_;
  }

  void sortScene(const std::vector<size_t>& scene, std::vector<SortedGroup>& groups) {
    // The brightest clip shows what the scene is: an underexposed bracket is dark as well.
    const size_t brightest = *std::max_element(scene.begin(), scene.end(),
                                               [&](size_t a, size_t b) { return meanCode(a) < meanCode(b); });
    if (std::all_of(scene.begin(), scene.end(), [this](size_t i) { return isEven(looks_[i]); })) {
      for (const size_t i : scene)
        setAside(i, ClipRole::Unknown,
                 "an even field: a wall out of focus, all of it clipped, or too dark to show anything");
      return;
    }
    if (scene.size() <= kMostWedges && isWedge(looks_[brightest])) {
      for (const size_t i : scene) setAside(i, ClipRole::Wedge, "bright steps on black");
      return;
    }
    if (scene.size() == 1) {
      setAside(scene[0], ClipRole::Unknown, "no other clip of this camera and mode shows its scene");
      return;
    }
    for (auto& g : sortByExposure(looks_, scene, {black_, top_, options_.step}))
      groups.push_back(std::move(g));
  }

  [[nodiscard]] double meanCode(size_t i) const {
    const auto& c = looks_[i].code;
    return std::accumulate(c.begin(), c.end(), 0.0) / static_cast<double>(c.size());
  }

  // Wedges, cap-on takes and strobes go to the group of their ISO; to the only one; else to the first, and
  // say so.
  void place(std::vector<SortedGroup>& groups) {
    for (auto& clip : loose_) {
      const auto iso = looks_[clip.look].iso;
      SortedGroup* at = nullptr;
      for (auto& g : groups)
        if (iso && g.iso == *iso) at = &g;
      if (!at && groups.size() == 1 && (!iso || groups[0].iso == 0)) at = &groups[0];
      if (!at && !groups.empty() && clip.role == ClipRole::Unknown) at = &groups[0];
      if (!at && !iso && !groups.empty()) {
        at = &groups[0];
        clip.why += "; at which ISO is not known";
      }
      if (!at) {
        groups.emplace_back();
        groups.back().iso = iso.value_or(0);
        at = &groups.back();
      }
      at->clips.push_back(std::move(clip));
    }
    loose_.clear();
  }

  static constexpr size_t kMostWedges = 4;  // exposures of one wedge: more are a bracket of a dark scene
  const std::vector<ClipLook>& looks_;
  std::vector<size_t> members_;
  const SortOptions& options_;
  const Progress& progress_;
  std::vector<SortedClip> loose_;
  double span_ = 1, darkest_ = 0, black_ = 0, top_ = 1;
};

std::string modeOf(const ClipLook& l, bool known) {
  if (l.format.layout == Layout::Cfa) return "raw";
  if (l.format.isFloat()) return "linear";
  return known ? "log" : "recorded";
}

// What tells one camera and mode from another, when nobody says so.
std::string keyOf(const ClipLook& l) {
  const PixelFormat& f = l.format;
  std::string key = fmt::format("{}|{}|{}x{}|{}|{}|{:g}", l.camera, l.codec, f.width, f.height,
                                static_cast<int>(f.layout), f.bitDepth, l.fps);
  for (double b : f.black) key += fmt::format("|{:g}", b);
  key += fmt::format("|{:g}|{:.4g}|{:.4g}", f.white, f.whiteBalance[0], f.whiteBalance[2]);
  return key;
}

constexpr size_t kSet = 3;  // clips of a folder that tell a camera from another

// Where no file says camera and ISO, folders do: those that hold a set of clips each. Empty: they don't.
std::map<std::string, std::vector<size_t>> byFolder(const std::vector<ClipLook>& looks,
                                                    const std::vector<size_t>& members) {
  std::map<std::string, std::vector<size_t>> folders;
  for (const size_t i : members) {
    if (looks[i].iso) return {};
    folders[looks[i].clip.parent_path().filename().string()].push_back(i);
  }
  const bool sets = folders.size() > 1 && std::all_of(folders.begin(), folders.end(),
                                                      [](const auto& f) { return f.second.size() >= kSet; });
  return sets ? folders : std::map<std::string, std::vector<size_t>>();
}

// Folders are cards of one camera where what lies in all of them is one bracket: each exposure once, the base
// perhaps twice. Two bodies before one scene have each exposure twice.
bool areCards(const std::vector<ClipLook>& looks, const std::vector<size_t>& members,
              const SortOptions& options, const Progress& progress) {
  constexpr int kTwice = 1;
  const auto groups = ModeSorter(looks, members, options, progress).run("", "");
  if (groups.size() != 1) return false;
  std::map<double, int> exposures;
  int known = 0;
  for (const auto& c : groups.front().clips) {
    if (c.role != ClipRole::Base && c.role != ClipRole::Take) continue;
    if (!c.planned) return false;
    ++exposures[*c.planned];
    ++known;
  }
  return exposures.size() >= kSet && known - static_cast<int>(exposures.size()) <= kTwice;
}

void ask(SortedShoot& s, const std::string& what, const std::vector<size_t>& groups,
         std::vector<std::string> choices) {
  if (!groups.empty()) s.questions.push_back({what, groups, std::move(choices)});
}

void askOf(const std::vector<ClipLook>& looks, const SortOptions& options, const std::vector<size_t>& groups,
           SortedShoot& s) {
  const ClipLook& l = looks[s.groups[groups.front()].clips.front().look];
  DecodeOptions decode = options.decode;
  if (l.linear()) decode.curve = "linear";
  for (const auto& what : questionsOf(decode, l.format)) {
    std::vector<std::string> choices;
    if (what == "curve") {
      for (const auto& c : namedCurves()) choices.emplace_back(c.name);
      choices.emplace_back("a file");
      choices.emplace_back("measured from the bracket");
    } else if (what == "range") {
      choices = {"full", "legal"};
    } else if (what == "matrix") {
      choices = {"bt601", "bt709", "bt2020"};
    }
    ask(s, what, groups, std::move(choices));
  }
  std::vector<size_t> unknown;
  for (const size_t g : groups)
    if (s.groups[g].iso == 0) unknown.push_back(g);
  ask(s, "iso", unknown, {});
}

}  // namespace

const char* wordOf(ClipRole role) {
  constexpr const char* kWords[] = {"wedge", "black", "base",   "take",   "ladder",
                                    "sweep", "pair",  "strobe", "unknown"};
  return kWords[static_cast<int>(role)];
}

std::string SortedGroup::id() const {
  std::string out;
  for (const char c : lower(body + "-" + mode))
    if (std::isalnum(static_cast<unsigned char>(c)))
      out += c;
    else if (!out.empty() && out.back() != '-')
      out += '-';
  return iso > 0 ? out + fmt::format("-{:g}", iso) : out;
}

SortedShoot sortOut(const std::vector<ClipLook>& looks, const SortOptions& options,
                    const Progress& progress) {
  SortedShoot s;
  std::map<std::string, std::vector<size_t>> byKey;
  for (size_t i = 0; i < looks.size(); ++i)
    looks[i].problem.empty() ? byKey[keyOf(looks[i])].push_back(i) : s.unreadable.push_back(i);
  std::set<std::string> used;
  char letter = 'A';
  for (const auto& [key, members] : byKey) {
    const ClipLook& first = looks[members.front()];
    const std::string mode = modeOf(first, !options.decode.curve.empty());
    std::vector<size_t> groups;
    const auto add = [&](const std::string& body, const std::vector<size_t>& of) {
      int copy = 1;
      for (auto& g : ModeSorter(looks, of, options, progress).run(body, mode)) {
        if (g.iso == 0) g.iso = options.iso.value_or(0);
        // Two scenes that nothing else tells apart: two set-ups, or two bodies.
        while (!used.insert(g.id()).second) g.body = fmt::format("{} {}", body, ++copy);
        groups.push_back(s.groups.size());
        s.groups.push_back(std::move(g));
      }
    };
    const auto folders = byFolder(looks, members);
    if (!folders.empty() && !areCards(looks, members, options, progress))
      for (const auto& [name, of] : folders) add(name, of);
    else
      add(first.camera.empty() ? fmt::format("Camera {}", letter++) : first.camera, members);
    if (!groups.empty()) askOf(looks, options, groups, s);
  }
  return s;
}

}  // namespace edge
