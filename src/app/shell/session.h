// What the window remembers between two runs: where it stood, the projects opened last, and in each the stage
// and configuration last looked at. Kept with the settings of the user, never in the project.
#pragma once
#include <QMainWindow>
#include <QStringList>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "advise/exercise.h"
#include "theme/tokens.h"

namespace edge::app {

struct View {
  QString stage;
  int configuration = 0;
};

class Session {
 public:
  // Off (tests, pictures): nothing is read or written, what is allowed counts as long as it runs.
  explicit Session(bool on) : on_(on) {}

  void opened(const std::filesystem::path& file);
  // Newest first; those that are gone are left out.
  [[nodiscard]] std::vector<std::filesystem::path> recent() const;
  // The project that was open when the window was closed last.
  void setLast(const std::filesystem::path& file);
  [[nodiscard]] std::optional<std::filesystem::path> last() const;
  void setView(const std::filesystem::path& project, const View& view);
  [[nodiscard]] std::optional<View> view(const std::filesystem::path& project) const;
  // Folders outside that of a project (by its id), whose files a person allowed it to read, or linked by
  // hand.
  void allow(const std::string& project, const QStringList& folders);
  [[nodiscard]] bool allows(const std::string& project, const QStringList& folders) const;
  void saveWindow(const QMainWindow& window);
  void restoreWindow(QMainWindow& window) const;
  void setLibrary(const std::filesystem::path& folder);
  [[nodiscard]] std::filesystem::path library() const;  // empty: none was chosen, or it is gone
  void setScore(const Score& score);                    // of exercises
  [[nodiscard]] Score score() const;
  void setTheme(ThemeKind kind);
  [[nodiscard]] ThemeKind theme() const;

 private:
  bool on_;
  std::map<std::string, QStringList> allowed_;
};

}  // namespace edge::app
