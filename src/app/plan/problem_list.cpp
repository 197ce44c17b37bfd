#include "plan/problem_list.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include "base/numbers.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {

namespace {
constexpr size_t kRemediesShown = 4;
constexpr int kRowsAtOnce = 1;  // new ones, so that the window stays alive
}  // namespace

// Takes the width it is given, however long its words are.
class WordsLabel : public WrappedLabel {
 public:
  using WrappedLabel::WrappedLabel;
  [[nodiscard]] QSize minimumSizeHint() const override { return {100, fontMetrics().height()}; }
  [[nodiscard]] QSize sizeHint() const override { return {width(), heightForWidth(std::max(100, width()))}; }
};

// One problem; rows are kept and filled anew, for making widgets is what takes time.
class ProblemRow : public QWidget {
 public:
  ProblemRow(Planner& planner, QWidget* parent) : QWidget(parent), planner_(planner) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, size::kGap);
    column->setSpacing(2);
    words_ = new WordsLabel(this);
    words_->setTextFormat(Qt::RichText);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(words_);
  }

  void show(const Problem& p) {
    static const char* const kWords[] = {"Caution", "Warning", "Can't be shot"};
    problem_ = p;
    words_->setText(QString("<b>%1</b> · %2<br>%3")
                        .arg(kWords[static_cast<int>(p.severity)], q(p.where).toHtmlEscaped(),
                             q(p.words).toHtmlEscaped() + byHand()));
    size_t shown = 0;
    for (const auto& r : p.remedies) {
      if (r.patch.is_null() || shown >= kRemediesShown) continue;
      QPushButton* b = button(shown++);
      QString text = q(r.words);
      if (r.stopsGained > 0.05) text += QString("  %1 stops").arg(q(formatSigned(r.stopsGained, 1)));
      if (r.enough) text += *r.enough ? "  · enough" : "  · not alone";
      b->setText(text);
      b->setToolTip(text);
      b->setAccessibleName("Remedy: " + text);
    }
    for (size_t i = 0; i < buttons_.size(); ++i) buttons_[i]->setVisible(i < shown);
    setVisible(true);
  }

  void showContradiction(const QStringList& c) {
    problem_ = {};
    words_->setText(QString("<b>The recipe contradicts itself</b><br>%1<br>%2<br>What to do: %3. The plan "
                            "below is that of the last recipe that made sense.")
                        .arg(c.value(0).toHtmlEscaped(),
                             c.value(1).section('(', -1).remove(')').toHtmlEscaped(),
                             c.value(2).toHtmlEscaped()));
    for (auto* b : buttons_) b->hide();
    setVisible(true);
  }

  [[nodiscard]] QString text() const { return words_->text(); }

 private:
  QPushButton* button(size_t i) {
    if (i == buttons_.size()) {
      auto* b = new QPushButton(this);
      b->setObjectName("remedy");
      b->setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed);
      b->setMinimumWidth(80);  // a long remedy must not widen the list
      QObject::connect(b, &QPushButton::clicked, this, [this, i] { apply(static_cast<int>(i)); });
      layout()->addWidget(b);
      buttons_.push_back(b);
    }
    return buttons_[i];
  }

  // Remedies that no recipe can carry out.
  [[nodiscard]] QString byHand() const {
    QStringList words;
    for (const auto& r : problem_.remedies)
      if (r.patch.is_null())
        words << q(r.words) + QString(" (about %1 stops)").arg(q(formatSigned(r.stopsGained, 1)));
    return words.isEmpty() ? QString() : " On set also: " + words.join(", ").toHtmlEscaped() + ".";
  }

  void apply(int index) {
    int n = 0;
    for (const auto& r : problem_.remedies) {
      if (r.patch.is_null() || n++ != index) continue;
      const Rescue rescue = r;  // the row is filled anew by what follows
      planner_.patch(rescue.patch, q(rescue.words));
      return;
    }
  }

  Planner& planner_;
  Problem problem_;
  QLabel* words_;
  std::vector<QPushButton*> buttons_;
};

ProblemList::ProblemList(Planner& planner, QWidget* parent) : QScrollArea(parent), planner_(planner) {
  auto* inner = new QWidget(this);
  inner->setObjectName("surface");
  column_ = new QVBoxLayout(inner);
  column_->setContentsMargins(0, 0, size::kGap, 0);
  column_->setSpacing(0);
  column_->addStretch();
  setWidget(inner);
  setWidgetResizable(true);
  setFrameShape(QFrame::NoFrame);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setAccessibleName("Problems and cautions");
}

void ProblemList::refresh() {
  const auto& c = planner_.contradiction();
  const size_t extra = c.isEmpty() ? 0 : 1;
  const size_t count = extra + (planner_.planned() ? planner_.planned()->plan.problems.size() : 0);
  for (int made = 0; rows_.size() < count && made < kRowsAtOnce; ++made) {
    rows_.push_back(new ProblemRow(planner_, widget()));
    column_->insertWidget(column_->count() - 1, rows_.back());
  }
  if (rows_.size() < count) QTimer::singleShot(0, this, &ProblemList::refresh);
  if (extra) rows_[0]->showContradiction(c);
  for (size_t i = extra; i < std::min(count, rows_.size()); ++i)
    rows_[i]->show(planner_.planned()->plan.problems[i - extra]);
  for (size_t i = count; i < rows_.size(); ++i) rows_[i]->hide();
}

QStringList ProblemList::texts() const {
  QStringList list;
  for (const auto* r : rows_)
    if (!r->isHidden()) list << r->text();
  return list;
}

}  // namespace edge::app
