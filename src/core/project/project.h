// The project document: one SQLite file (*.edgetest). Inputs, decisions and results are kept apart; every
// result carries the hash of what it was made from. Media stays where it is, by relative path and hash. Every
// change is one transaction, several are where they are made `atomically`: a killed process loses nothing
// that was committed. Schema: docs/formats.md.
#pragma once
#include <any>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <type_traits>
#include <vector>

#include "base/error.h"
#include "color/display.h"
#include "project/clip_kind.h"
#include "recover/latitude.h"
#include "shoot/log.h"

namespace edge {

struct ClipRecord {
  std::int64_t id = 0;
  ClipKind kind = ClipKind::Take;
  std::string name;
  std::optional<double> plannedStops;
  std::string path{};  // relative to the project's folder
  std::string hash;
  double iso = 0;       // as set; 0: that of the configuration
  std::string slate{};  // of the plan's take
  // The steady part that is measured: without slate and blinks. frames 0: to the end.
  std::int64_t first = 0, frames = 0;
  nlohmann::json link{};  // why it is taken for this take: {"by", "sure", "words"}; null: it was made so
  double nd = 0;          // density before the lens
  double strobeHz = 0;    // flashes a second of what was shot; 0: no strobe

  bool operator==(const ClipRecord&) const = default;
};

// Body x recording mode x ISO x light: what a series was shot with.
struct Configuration {
  std::int64_t id = 0;
  std::string body, mode, light;
  double iso = 0;
  DecodeOptions decode;  // curve file relative to the project's folder
  // Questions about the decode state that a person has yet to answer (setup.h); nothing is measured before.
  std::vector<std::string> ask;
  std::string display = kSoftShoulder;
  Chart wedge, bench;
  std::vector<Patch> regions;
  std::vector<ClipRecord> clips;

  [[nodiscard]] std::string label() const;  // "Corvane 35 · log · ISO 500"
  [[nodiscard]] const ClipRecord* clipOfKind(ClipKind kind) const;
};

// A person's decision: what was decided, and why. `take` empty: about the whole configuration; configuration
// 0: about the project.
struct Decision {
  std::int64_t configuration = 0;
  std::string take, key;
  nlohmann::json value;  // null: no decision
  std::string reason;
};

class Project {
 public:
  static constexpr int kSchemaVersion = 5;

  // Opened where it can't be written to, it is as read() gives it. Errors: exists already; not a project;
  // damaged; from a newer version.
  // `fill` puts in what it begins with: the file is there with all of it, or not at all.
  using Fill = std::function<void(Project&)>;
  [[nodiscard]] static std::unique_ptr<Project> create(const std::filesystem::path& file,
                                                       const std::string& title, const std::string& id = "",
                                                       const Fill& fill = nullptr);
  [[nodiscard]] static std::unique_ptr<Project> open(const std::filesystem::path& file);
  // A copy in memory: nothing is written to the file, on read-only media and in use elsewhere it can be read,
  // and what changes stays in memory until writeTo. Errors as open, and: too large.
  [[nodiscard]] static std::unique_ptr<Project> read(const std::filesystem::path& file);
  ~Project();

  [[nodiscard]] const std::filesystem::path& file() const { return file_; }
  [[nodiscard]] std::filesystem::path folder() const { return file_.parent_path(); }
  [[nodiscard]] bool isReadOnly() const { return readOnly_; }  // what is stored now is lost when it is closed
  // Rows written through this object since it was opened.
  [[nodiscard]] std::int64_t writes() const;
  [[nodiscard]] std::string title() const;
  [[nodiscard]] std::string id() const;  // 6 hexadecimal digits, on every slate

  // All that `change` writes to this project, or nothing of it: where it throws, or the process is killed.
  void atomically(const std::function<void()>& change);

  // Ids are given here. Clips' paths must be relative.
  std::int64_t addConfiguration(const Configuration& configuration);
  [[nodiscard]] std::vector<Configuration> configurations() const;
  // Clips of a project as they are linked now; the whole list is put in place of the old one. Configurations
  // stay, with their charts and decode state.
  void setClips(std::int64_t configuration, const std::vector<ClipRecord>& clips);

  // Decode state, display, charts and objects of a configuration put in place of the old ones.
  void setSetup(const Configuration& configuration);

  // The log of the shoot: only ever added to, committed before the call returns. The id is given here.
  std::int64_t appendLog(const LogEntry& entry);
  [[nodiscard]] std::vector<LogEntry> log() const;

  [[nodiscard]] std::optional<Decision> decision(std::int64_t configuration, const std::string& take,
                                                 const std::string& key) const;
  // All of them, read anew only when something was written since, by whomever. Stands until the next reading.
  [[nodiscard]] const std::vector<Decision>& decisions() const;
  void setDecision(const Decision& decision);  // a null value takes the decision back

  void storeResult(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                   const nlohmann::json& result);
  // nullopt when there is none for exactly these inputs.
  [[nodiscard]] std::optional<nlohmann::json> result(std::int64_t configuration, const std::string& kind,
                                                     const std::string& inputHash) const;

  // What `read` makes of it. One that can't be read is dropped, so that it is measured again. Kept for the
  // next time: the same inputs give the same figures.
  template <class Read>
  [[nodiscard]] auto resultAs(std::int64_t configuration, const std::string& kind,
                              const std::string& inputHash, Read read) const
      -> std::optional<std::decay_t<std::invoke_result_t<Read, const nlohmann::json&>>> {
    using Value = std::decay_t<std::invoke_result_t<Read, const nlohmann::json&>>;
    if (const auto kept = kept_.find({configuration, kind}); kept != kept_.end())
      if (const auto* value = std::any_cast<Value>(&kept->second.value);
          value && kept->second.inputHash == inputHash)
        return *value;
    const auto stored = result(configuration, kind, inputHash);
    if (!stored) return std::nullopt;
    try {
      Value value = read(*stored);
      kept_[{configuration, kind}] = {inputHash, value};
      return value;
    } catch (const nlohmann::json::exception&) {
      dropResult(configuration, kind);
    } catch (const Error&) {
      dropResult(configuration, kind);
    }
    return std::nullopt;
  }

  // A result as text, written out where there was time for it, and what resultAs() makes of that text.
  template <class Value>
  void storeWritten(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                    const std::string& text, Value value) {
    storeText(configuration, kind, inputHash, text);
    kept_[{configuration, kind}] = {inputHash, std::move(value)};
  }

  struct Stored {
    std::string inputHash;
    nlohmann::json value;
  };
  // Whatever its inputs were.
  [[nodiscard]] std::optional<Stored> anyResult(std::int64_t configuration, const std::string& kind) const;

  [[nodiscard]] bool hasResult(std::int64_t configuration, const std::string& kind,
                               const std::string& inputHash) const;

  // A copy in memory; what changes stays there until writeTo.
  [[nodiscard]] std::unique_ptr<Project> copyInMemory() const;
  // All of it into a new file, which must not exist yet.
  void writeTo(const std::filesystem::path& file) const;

  // Decisions that could not be read when it was opened, with what is wrong. They are kept under another key,
  // and count for nothing.
  [[nodiscard]] const std::vector<std::string>& setApart() const { return setApart_; }

  // Damage found by SQLite's own check; empty: sound.
  [[nodiscard]] std::vector<std::string> integrityProblems() const;

 private:
  struct Store;
  Project(std::filesystem::path file, std::unique_ptr<Store> store);
  // Migrated, its content readable. Throws what SQLite and the parser throw.
  [[nodiscard]] static std::unique_ptr<Project> checked(const std::filesystem::path& file,
                                                        std::unique_ptr<Store> store);
  void storeText(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                 const std::string& text);
  void dropResult(std::int64_t configuration, const std::string& kind) const;
  void setApartDamaged();
  std::filesystem::path file_;
  std::unique_ptr<Store> store_;
  struct Kept {
    std::string inputHash;
    std::any value;
  };
  mutable std::map<std::pair<std::int64_t, std::string>, Kept> kept_;  // results as they were read
  std::vector<std::string> setApart_;
  bool readOnly_ = false;
};

}  // namespace edge
