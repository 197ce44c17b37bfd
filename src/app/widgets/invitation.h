// What a stage lacks, in one sentence, and the one button that does it.
#pragma once
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>

#include "shell/document.h"

namespace edge::app {

// Where the button leads. A stage names it, the window goes there.
enum class Door { Plan, Clips, Charts, Decoding, Analyse, Folder };

struct Invite {
  QString words, button;
  Door door;
};

enum class Need { Wedge, Bracket };
// What measuring this of the current configuration still needs; nothing: it is measured.
[[nodiscard]] std::optional<Invite> inviteFor(const Document& document, Need need);
// How far it is over all configurations, for the path: "4 of 6 measured", "2 not ready".
[[nodiscard]] QString progressOf(const Document& document, Need need);

// Contents, or the invitation in their place.
class Inviting : public QStackedWidget {
  Q_OBJECT
 public:
  Inviting(QWidget* contents, QWidget* parent);
  void invite(const std::optional<Invite>& invite);

 signals:
  void taken(Door door);

 private:
  QLabel* words_;
  QPushButton* button_;
  Door door_ = Door::Plan;
};

}  // namespace edge::app
