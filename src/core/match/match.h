// Which clip is which take: by slate, by metadata, by name, by order and time; checked by measured exposure.
// Every link says why and how sure it is; what can't be decided is listed, never guessed.
#pragma once
#include "match/clip_facts.h"
#include "shoot/log.h"

namespace edge {

enum class LinkBy { None, Slate, Metadata, Name, Order, Hand, Kept };
[[nodiscard]] const char* wordOf(LinkBy by);

struct ClipLink {
  size_t clip = 0;             // of the facts
  std::optional<size_t> take;  // of the plan, in run order
  LinkBy by = LinkBy::None;
  double sure = 0;      // 0..1
  double expected = 0;  // stops from the base: as planned, or as it was logged to be shot
  int attempt = 1;
  bool superseded = false;  // an earlier attempt of a take that was shot again
  std::string words;        // why
  std::string trouble;      // conflict, or why there is no link; empty: none
};

struct Match {
  std::vector<ClipLink> links;             // one a clip, in the order of the facts
  std::vector<size_t> missing;             // takes without a clip, in run order
  std::vector<std::vector<size_t>> twins;  // clips of one exposure in raw and log, by take order
};

// `byHand`: clip path (as in the facts) to slate; an empty slate: this clip is no take. It beats all else.
[[nodiscard]] Match matchClips(const Recipe& recipe, const Plan& plan, const ShootLog& log,
                               const std::string& projectId, const std::vector<ClipFacts>& facts,
                               const std::map<std::string, std::string>& byHand = {});

// After exposures were measured: links whose exposure is another take's get their trouble, with the take it
// would be. Tolerance a quarter of a stop.
void checkExposures(const Plan& plan, const std::vector<ClipFacts>& facts, Match& match);

}  // namespace edge
