#include "widgets/invitation.h"

#include <QVBoxLayout>

#include "project/analysis.h"
#include "project/setup.h"
#include "theme/tokens.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

struct NeedSpec {
  const char *what, *missing, *mark, *markButton;
  bool (*shot)(const Configuration&);
  bool (*marked)(const Configuration&);
  bool (*measured)(const Finding&);
};

const NeedSpec& specOf(Need need) {
  static const NeedSpec specs[] = {
      {"wedge", "No step wedge was shot in this configuration.",
       "The wedge is shot, but nobody has said yet where it lies in the picture.", "Mark the wedge",
       [](const Configuration& c) { return c.clipOfKind(ClipKind::Wedge) != nullptr; }, hasWedge,
       [](const Finding& f) { return f.range.has_value(); }},
      {"bracket", "No over and under bracket was shot in this configuration.",
       "The bracket is shot, but nobody has said yet where the chart lies in the picture.", "Mark the chart",
       [](const Configuration& c) { return c.clipOfKind(ClipKind::Base) && c.clipOfKind(ClipKind::Take); },
       hasBracket, [](const Finding& f) { return f.latitude.has_value(); }}};
  return specs[static_cast<int>(need)];
}

bool isPlanned(const Document& document) {
  const auto& recipe = document.recipe();
  return recipe.contains("bodies") && !recipe["bodies"].empty();
}

}  // namespace

std::optional<Invite> inviteFor(const Document& document, Need need) {
  if (!document.isOpen()) return Invite{"No project is open.", "To the plan", Door::Plan};
  const NeedSpec& spec = specOf(need);
  const Finding* f = document.current();
  if (!f && !isPlanned(document))
    return Invite{"Nothing is planned and no clip is linked yet.", "Make a plan", Door::Plan};
  if (!f) return Invite{"No clip is linked to a take yet.", "Choose the folder of the cards", Door::Clips};
  const Configuration& c = f->configuration;
  if (spec.measured(*f)) return std::nullopt;
  if (!spec.shot(c)) return Invite{spec.missing, "Look at its clips", Door::Clips};
  if (need == Need::Wedge && isWedgePlaced(c) && !hasWedge(c))
    return Invite{"The wedge was found. How many stops lie between its patches, nobody has said yet.",
                  "Say it", Door::Charts};
  if (!spec.marked(c)) return Invite{spec.mark, spec.markButton, Door::Charts};
  if (!isDecoded(c))
    return Invite{"The files don't say how their codes were made.", "Answer what is asked", Door::Decoding};
  return Invite{QString("This %1 has not been measured yet.").arg(spec.what), "Analyse", Door::Analyse};
}

QString progressOf(const Document& document, Need need) {
  if (!document.isOpen()) return "no project";
  const NeedSpec& spec = specOf(need);
  int shot = 0, marked = 0, measured = 0;
  for (const auto& f : document.findings()) {
    shot += spec.shot(f.configuration);
    marked += spec.marked(f.configuration);
    measured += spec.measured(f);
  }
  if (shot == 0) return QString("no %1 yet").arg(spec.what);
  if (marked < shot) return QString("%1 of %2 not ready").arg(shot - marked).arg(shot);
  return QString("%1 of %2 measured").arg(measured).arg(shot);
}

Inviting::Inviting(QWidget* contents, QWidget* parent) : QStackedWidget(parent) {
  addWidget(contents);
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  words_ = new WrappedLabel(page);
  words_->setObjectName("title");
  words_->setAlignment(Qt::AlignCenter);
  button_ = new QPushButton(page);
  button_->setObjectName("invite");
  connect(button_, &QPushButton::clicked, this, [this] { emit taken(door_); });
  column->addStretch(2);
  column->addWidget(words_);
  column->addSpacing(size::kMargin);
  column->addWidget(button_, 0, Qt::AlignHCenter);
  column->addStretch(3);
  addWidget(page);
}

void Inviting::invite(const std::optional<Invite>& invite) {
  setCurrentIndex(invite ? 1 : 0);
  if (!invite) return;
  words_->setText(invite->words);
  button_->setText(invite->button);
  door_ = invite->door;
}

}  // namespace edge::app
