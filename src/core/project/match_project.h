// Clips of a folder brought into a project: read, linked to the plan's takes, checked. Reading needs no
// project open in this thread; the owner of the project applies what comes back.
#pragma once
#include <deque>
#include <functional>
#include <memory>

#include "match/match.h"
#include "match/take_checks.h"
#include "project/project.h"
#include "shoot/gate.h"

namespace edge {

struct CheckedTake {
  std::string slate, clip;
  std::vector<TakeCheck> checks;
};

inline constexpr const char* kChecksResult = "checks";
inline constexpr const char* kByHandKey = "links";  // decision of the project: {clip path: slate}

// What a take becomes in the project: kind and name of its clip record.
[[nodiscard]] std::pair<ClipKind, std::string> kindAndNameOf(const Plan& plan, const Take& take);
// Of kinds that stand on a scale of exposures; nothing for others and with the cap on.
[[nodiscard]] std::optional<double> plannedOf(ClipKind kind, const Take& take);

[[nodiscard]] std::vector<ClipFacts> readAllFacts(const std::filesystem::path& folder,
                                                  const Progress& progress);
[[nodiscard]] std::map<std::string, std::string> linksByHand(const Project& project);

// Configurations of the project with their clips as linked; id 0: a body, mode or circuit met for the first
// time. Clips of takes that are not in this match keep their record.
[[nodiscard]] std::vector<Configuration> linkedConfigurations(const Project& project, const Recipe& recipe,
                                                              const Plan& plan,
                                                              const std::vector<ClipFacts>& facts,
                                                              const Match& match);
// Whether the clips of these configurations stand in the project already, each as this take.
[[nodiscard]] bool linksStand(const Project& project, const std::vector<Configuration>& linked);
// Stores them. Ids are given here.
void storeConfigurations(Project& project, std::vector<Configuration>& configurations);
// Never copied: megabytes of evidence.
using CheckedTakes = std::shared_ptr<const std::vector<CheckedTake>>;
// What was checked of a configuration as it was then (checksInputHash), and the text it is stored as; none
// where it stands in the project.
struct Checked {
  std::string inputHash;
  CheckedTakes takes;
  std::string text;
};
// Takes its time. No text where it could not be read again.
[[nodiscard]] std::shared_ptr<const Checked> writtenOut(std::string inputHash,
                                                        std::vector<CheckedTake> takes);
// With what was checked of each (nullptr: nothing): all of it or none. What is of other clips than those that
// are linked, or stands there already, is not written.
void storeLinks(Project& project, std::vector<Configuration>& configurations,
                const std::vector<std::shared_ptr<const Checked>>& checks);

// What the project keeps joins what was read, as one list: a clip that stands there under this path, or with
// this content in another place, is noted as kept; the others are added as their records say.
void joinKept(std::vector<ClipFacts>& facts, const std::vector<const Configuration*>& kept,
              const std::filesystem::path& folder);

// What was streamed of clips whose content, decoding and charts are the same as then: a new clip of a bracket
// costs one clip, not the bracket. Holds the latest kMost. Not for several threads.
class EvidenceShelf {
 public:
  static constexpr size_t kMost = 32;
  // By key, or made now.
  [[nodiscard]] std::shared_ptr<const TakeEvidence> evidence(const std::string& key,
                                                             const std::function<TakeEvidence()>& make);
  [[nodiscard]] std::shared_ptr<const LumaPicture> framing(const std::string& key,
                                                           const std::function<LumaPicture()>& make);

 private:
  std::deque<std::pair<std::string, std::shared_ptr<const TakeEvidence>>> taken_;
  std::deque<std::pair<std::string, std::shared_ptr<const LumaPicture>>> framings_;
};

// Every clip of a configuration by what its kind needs; those of the bracket against their base, where its
// chart is marked. Empty where the decode state is not known: nothing is checked then.
[[nodiscard]] std::vector<CheckedTake> checkConfiguration(const Configuration& c,
                                                          const std::filesystem::path& folder,
                                                          const Recipe& recipe, const Plan& plan,
                                                          const Progress& progress,
                                                          EvidenceShelf* shelf = nullptr);
// Measured exposures into the facts, for checkExposures().
void noteExposures(const Plan& plan, const Match& match, const std::filesystem::path& folder,
                   const std::vector<CheckedTake>& checked, std::vector<ClipFacts>& facts);
[[nodiscard]] std::string checksInputHash(const Project& project, const Configuration& c);
[[nodiscard]] nlohmann::json toJson(const std::vector<CheckedTake>& checked);
// Those of a configuration that still fit; nullptr: none.
[[nodiscard]] CheckedTakes storedChecks(const Project& project, const Configuration& c);
// inputHash: its checksInputHash().
[[nodiscard]] CheckedTakes storedChecks(const Project& project, const Configuration& c,
                                        const std::string& inputHash);
[[nodiscard]] std::vector<CheckedTake> checkedFromJson(const nlohmann::json& j);

// For the gate: by slate, what the copied clips say. From stored results that still fit.
[[nodiscard]] ClipWords clipWordsOf(const Project& project);
[[nodiscard]] nlohmann::json matchJson(const Plan& plan, const std::vector<ClipFacts>& facts,
                                       const Match& match);

}  // namespace edge
