// Help in the application: guide, method and formats as they stand in docs/, the keys, and about with
// licences.
#pragma once
#include <QDialog>

#include "shell/stage.h"

namespace edge::app {

struct CommandGroup {
  QString name;
  std::vector<Command> commands;
};

enum class HelpPage { Guide, Method, Formats, Recipe };
inline constexpr HelpPage kHelpPages[] = {HelpPage::Guide, HelpPage::Method, HelpPage::Formats,
                                          HelpPage::Recipe};
[[nodiscard]] QString wordOf(HelpPage page);

// Scrolled to the heading `section`, where there is one.
void showHelp(QWidget* parent, HelpPage page, const QString& section = {});
void showKeys(QWidget* parent, const std::vector<CommandGroup>& groups);
void showAbout(QWidget* parent);

}  // namespace edge::app
