// A finished shoot sorted without plan or slates: which clips are of one camera and mode, which show one
// scene, by how much light they differ, and what each is for. Pure arithmetic on ClipLook (docs/method.md,
// "Begin from clips"). Every answer says why; what can't be seen is asked, never guessed.
#pragma once
#include "begin/clip_look.h"

namespace edge {

enum class ClipRole { Wedge, Black, Base, Take, Ladder, Sweep, Pair, Strobe, Unknown };
[[nodiscard]] const char* wordOf(ClipRole role);  // in files and on screen

struct SortedClip {
  size_t look = 0;  // of the list given
  ClipRole role = ClipRole::Unknown;
  std::optional<double> stops;    // against the base; nothing where the curve is needed and not known
  std::optional<double> planned;  // snapped to the step
  double sigma = 0;
  bool repeat = false;  // of the base
  std::string why;
};

// A camera in a mode at an ISO.
struct SortedGroup {
  std::string body, mode;         // body as the file says, else "Camera A"
  double iso = 0;                 // 0: not known
  std::vector<SortedClip> clips;  // base first, then from under to over, then the rest
  std::vector<double> missing;    // stops of the step's series that no clip has
  double step = 0;                // that exposures were snapped to; 0: none fits
  // For each stop between takes, the stops by which bright blocks change more than dim ones; 0: nothing sure.
  double bend = 0;

  [[nodiscard]] std::string id() const;  // "corvane-35-log-500"
};

struct BeginQuestion {
  std::string what;  // "curve", "range", "matrix", "iso"
  std::vector<size_t> groups;
  std::vector<std::string> choices;  // empty: a number or a text
};

struct SortedShoot {
  std::vector<SortedGroup> groups;
  std::vector<BeginQuestion> questions;  // once a camera and mode
  std::vector<size_t> unreadable;        // looks with a problem
};

struct SortOptions {
  std::optional<double> step;  // of the exposures, in stops; nothing: the widest that fits
  std::optional<double> iso;   // of clips whose files say none
  DecodeOptions decode;        // what is known of clips that need a curve
};
[[nodiscard]] SortedShoot sortOut(const std::vector<ClipLook>& looks, const SortOptions& options,
                                  const Progress& progress = Progress());

// Exposure between two clips of one scene, in stops (second against first): of blocks that both show above
// their noise and below their end. nullopt: too few of them, or light is not known.
struct LightRatio {
  double stops = 0, sigma = 0;
  size_t blocks = 0;
  double bend = 0, bendSigma = 0;  // by which brighter blocks differ from dimmer ones: no light does that
};
// `black`: scene-linear level of no light. `top`: from where on a clip is not believed.
[[nodiscard]] std::optional<LightRatio> lightBetween(const ClipLook& from, const ClipLook& to, double black,
                                                     double top);
// How alike two clips are, by blocks that both show. nullopt: too few of them.
struct Likeness {
  double rank = 0;     // correlation
  double overlap = 0;  // of what the one that shows more shows
};
[[nodiscard]] std::optional<Likeness> likeness(const ClipLook& a, const ClipLook& b, double black,
                                               double top);

}  // namespace edge
