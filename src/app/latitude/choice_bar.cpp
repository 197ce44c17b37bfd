#include "latitude/choice_bar.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QSignalBlocker>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/files.h"
#include "base/numbers.h"
#include "plan/recipe.h"
#include "recover/propose.h"
#include "theme/text.h"
#include "theme/tokens.h"

namespace edge::app {
namespace {

constexpr const char* kBranchWords[4] = {"Exposure", "Balance", "Best grade", "Log offset"};
constexpr const char *kLoad = "Load a profile…", *kSave = "Save this profile…";

QLabel* quiet(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setObjectName("quiet");
  return label;
}

}  // namespace

ChoiceBar::ChoiceBar(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kGrid);
  row->addWidget(quiet("Brought back by", this));
  for (int i = 0; i < 4; ++i) {
    branches_[i] = new QPushButton(kBranchWords[i], this);
    branches_[i]->setCheckable(true);
    branches_[i]->setObjectName(QString("branch:%1").arg(edge::branches()[static_cast<size_t>(i)].key));
    branches_[i]->setToolTip(edge::branches()[static_cast<size_t>(i)].formula);
    connect(branches_[i], &QPushButton::clicked, this,
            [this, i] { emit branchChosen(static_cast<Branch>(i)); });
    row->addWidget(branches_[i]);
  }
  row->addSpacing(size::kGap);
  row->addWidget(quiet("judged for", this));
  profile_ = new QComboBox(this);
  profile_->setObjectName("profile");
  profile_->setAccessibleName("Criteria profile");
  profile_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  profile_->setMinimumContentsLength(12);
  connect(profile_, &QComboBox::activated, this, &ChoiceBar::chooseProfile);
  row->addWidget(profile_);
  row->addSpacing(size::kGap);
  row->addWidget(quiet("counted from", this));
  base_ = new QComboBox(this);
  base_->setObjectName("base");
  base_->setAccessibleName("Base that stops count from");
  base_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  base_->setMinimumContentsLength(10);
  connect(base_, &QComboBox::activated, this,
          [this](int i) { emit baseChosen(base_->itemData(i).toString()); });
  row->addWidget(base_);
  row->addStretch();
  propose_ = new QPushButton(this);
  propose_->setObjectName("propose");
  connect(propose_, &QPushButton::clicked, this, &ChoiceBar::propose);
  row->addWidget(propose_);
  corrections_ = new QPushButton("Corrections…", this);
  corrections_->setToolTip("Write the corrections as ASC CDL, CLF and .cube");
  connect(corrections_, &QPushButton::clicked, this, &ChoiceBar::correctionsWanted);
  row->addWidget(corrections_);
}

void ChoiceBar::fillProfiles() {
  const QSignalBlocker quietly(profile_);
  profile_->clear();
  const CriteriaProfile& now = document_.criteria();
  bool standard = false;
  for (const auto& p : standardProfiles()) {
    profile_->addItem(q(p.name));
    if (p.name == now.name) {
      standard = true;
      profile_->setCurrentIndex(profile_->count() - 1);
    }
  }
  if (!standard) {
    profile_->addItem(q(now.name));
    profile_->setCurrentIndex(profile_->count() - 1);
  }
  profile_->setToolTip(profile_->currentText());  // a long name is cut in the bar
  profile_->insertSeparator(profile_->count());
  profile_->addItem(kLoad);
  profile_->addItem(kSave);
}

void ChoiceBar::show(const BracketView& view, const QString& base) {
  for (int i = 0; i < 4; ++i) {
    branches_[i]->setChecked(static_cast<int>(view.branch) == i);
    branches_[i]->setEnabled(view.finding != nullptr);
  }
  fillProfiles();
  const QSignalBlocker quietly(base_);
  base_->clear();
  bases_.clear();
  const auto list = [this](const QString& words, double stops, const QString& base) {
    base_->addItem(words, base);
    bases_.emplace_back(stops, base);
  };
  list("base", 0, "");
  proposed_.clear();
  if (view.finding) {
    const LatitudeMeasure& m = view.measure();
    if (m.toGrey) list(q("grey (" + formatSigned(*m.toGrey, 2) + ")"), *m.toGrey, "grey");
    if (m.toSkin) list(q("skin at 60 % (" + formatSigned(*m.toSkin, 2) + ")"), *m.toSkin, "skin");
    for (const size_t i : view.order)
      list("take " + q(m.takes[i].name), m.takes[i].measured.value_or(m.takes[i].planned),
           q(m.takes[i].name));
    if (base_->findData(base) < 0) base_->addItem(q(view.base.name), base);
    proposed_ = finerTakes(view.results[0].edges);
  }
  base_->setCurrentIndex(std::max(0, base_->findData(base)));
  QStringList stops;
  for (const double s : proposed_) stops << q(formatStops(s));
  propose_->setVisible(!proposed_.empty());
  propose_->setText(proposed_.size() > 2 ? QString("Shoot %1 more takes").arg(proposed_.size())
                                         : "Shoot " + stops.join(" and "));
  propose_->setToolTip("Adds " + stops.join(", ") + " to the plan, for this configuration only");
  corrections_->setEnabled(view.finding != nullptr);
}

void ChoiceBar::chooseProfile(int index) {
  const QString chosen = profile_->itemText(index);
  const auto standard = static_cast<size_t>(index);
  if (chosen == kLoad || chosen == kSave) {
    fillProfiles();
    const QString filter = "Criteria profiles (*.json)";
    const QString file =
        chosen == kLoad ? QFileDialog::getOpenFileName(this, "Load a profile", {}, filter)
                        : QFileDialog::getSaveFileName(this, "Save this profile", "profile.json", filter);
    if (file.isEmpty()) return;
    chosen == kLoad ? loadProfileFrom(file.toStdString()) : saveProfileTo(file.toStdString());
  } else if (standard < standardProfiles().size()) {
    const CriteriaProfile& p = standardProfiles()[standard];
    document_.setCriteria(p, QString("judge for %1").arg(q(p.name)));
  }
}

void ChoiceBar::loadProfileFrom(const std::filesystem::path& file) {
  try {
    const CriteriaProfile p = readProfile(file);
    document_.setCriteria(p, QString("judge for %1").arg(q(p.name)));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject() + (e.place().empty() ? "" : ", " + e.place())), q(e.remedy()));
  }
}

QString ChoiceBar::baseNear(double stops) const {
  constexpr double kNear = 0.12;  // stops
  const auto near = std::min_element(bases_.begin(), bases_.end(), [stops](const auto& a, const auto& b) {
    return std::abs(a.first - stops) < std::abs(b.first - stops);
  });
  if (near != bases_.end() && std::abs(near->first - stops) < kNear) return near->second;
  return q(formatNumber(stops, 1));
}

void ChoiceBar::saveProfileTo(const std::filesystem::path& file) {
  try {
    writeFileAtomically(file, toJson(document_.criteria()).dump(1) + "\n");
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void ChoiceBar::propose() {
  const Finding* f = document_.current();
  if (!f || proposed_.empty()) return;
  const Configuration& c = f->configuration;
  QStringList stops;
  for (const double s : proposed_) stops << q(formatStops(s));
  document_.setRecipe(withExtraTakes(document_.recipe(), c.body, c.mode, c.iso, c.light, proposed_),
                      QString("takes %1 for %2").arg(stops.join(", "), q(c.label())));
  emit takesProposed(QString("%1 added to the plan for %2").arg(stops.join(", "), q(c.label())));
}

}  // namespace edge::app
