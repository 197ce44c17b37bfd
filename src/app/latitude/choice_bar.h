// What the bracket is looked at by: branch of bring-back, criteria profile, base that stops count from; and
// what follows from it: more takes, corrections for the grading room.
#pragma once
#include <QComboBox>
#include <QPushButton>

#include "latitude/bracket_view.h"

namespace edge::app {

class ChoiceBar : public QWidget {
  Q_OBJECT
 public:
  explicit ChoiceBar(Document& document, QWidget* parent = nullptr);

  void show(const BracketView& view, const QString& base);
  // Stops a click adds to the plan; empty: nothing to propose.
  [[nodiscard]] const std::vector<double>& proposed() const { return proposed_; }
  // As baseChosen says it: the base of the list that lies near so many stops, else the number in tenths.
  [[nodiscard]] QString baseNear(double stops) const;
  void saveProfileTo(const std::filesystem::path& file);
  void loadProfileFrom(const std::filesystem::path& file);

 signals:
  void branchChosen(Branch branch);
  void baseChosen(const QString& base);  // as newBaseOf takes it; empty: the bracket's own
  void correctionsWanted();
  void takesProposed(const QString& words);  // they are in the plan now
  void failed(const QString& problem, const QString& where, const QString& remedy);

 private:
  void fillProfiles();
  void chooseProfile(int index);
  void propose();

  Document& document_;
  QPushButton* branches_[4];
  QComboBox *profile_, *base_;
  QPushButton *propose_, *corrections_;
  std::vector<double> proposed_;
  std::vector<std::pair<double, QString>> bases_;  // stops above the bracket's own, as listed
};

}  // namespace edge::app
