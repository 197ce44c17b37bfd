#include "review/blind_page.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QScreen>
#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>

#include "base/error.h"
#include "base/files.h"
#include "base/parallel.h"
#include "report/review_words.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

const CriterionSpec* specOfMetric(const std::string& metric) {
  for (const auto& c : criteria())
    if (metric == c.metric) return &c;
  return nullptr;
}

QString progressWords(const BlindSession& s) {
  size_t asked = 0;
  for (size_t v = 0; v < s.plan.viewers.size(); ++v) asked += trialsOf(s.plan, v).size();
  if (s.unsealed) return "unsealed";
  return complete(s) ? QString("all have answered, sealed")
                     : QString("%1 of %2 answers, sealed").arg(s.votes.size()).arg(asked);
}

}  // namespace

BlindPage::BlindPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  parts_ = new QStackedWidget(this);
  column->addWidget(parts_);
  setup_ = new BlindSetup(this);
  show_ = new BlindShow(this);
  parts_->addWidget(buildSessions());
  parts_->addWidget(setup_);
  parts_->addWidget(buildViewers());
  parts_->addWidget(show_);
  parts_->addWidget(buildReport());
  connect(setup_, &BlindSetup::wanted, this, &BlindPage::begin);
  connect(show_, &BlindShow::answered, this, [this](int answer, double seconds) {
    if (current_ < 0) return;
    try {
      BlindSession s = sessions_[static_cast<size_t>(current_)].session;
      addVote(s, viewer_, answer, seconds);
      keep(s);
      if (!nextTrial(s, viewer_)) go(Viewers);
    } catch (const Error& e) {
      go(Viewers);
      emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
    }
  });
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            go(Viewers);
            // Which picture it was would say too much while it is sealed.
            const bool sealedNow = session() && !session()->unsealed;
            emit failed(problem, sealedNow ? QString("one of the pictures") : where, remedy);
          });
  connect(&job_, &Job::progress, this, [this](double share, const QString&) {
    viewerWords_->setText(QString("Getting the pictures ready, %1 %").arg(qRound(100 * share)));
  });
  connect(&document, &Document::reviewsChanged, this, &BlindPage::readSessions);
}

QWidget* BlindPage::buildSessions() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(0, 0, 0, 0);
  listWords_ = new WrappedLabel(page);
  list_ = new QListWidget(page);
  list_->setAccessibleName("Blind sessions");
  connect(list_, &QListWidget::itemActivated, this, [this] { open(list_->currentRow()); });
  auto* row = new QHBoxLayout;
  auto* fresh = new QPushButton("New session…  N", page);
  fresh->setObjectName("newSession");
  auto* go = new QPushButton("Open  Return", page);
  connect(fresh, &QPushButton::clicked, this, [this] { this->go(Setup); });
  connect(go, &QPushButton::clicked, this, [this] { open(list_->currentRow()); });
  row->addWidget(fresh);
  row->addWidget(go);
  row->addStretch(1);
  column->addWidget(listWords_);
  column->addWidget(list_, 1);
  column->addLayout(row);
  return page;
}

QWidget* BlindPage::buildViewers() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  viewerTitle_ = new QLabel(page), viewerWords_ = new WrappedLabel(page);
  viewerTitle_->setObjectName("headline");
  viewerWords_->setMaximumWidth(560);
  viewerButtons_ = new QVBoxLayout;
  unseal_ = new QPushButton("Unseal  U", page);
  unseal_->setObjectName("unseal");
  connect(unseal_, &QPushButton::clicked, this, &BlindPage::unsealNow);
  auto* back = new QPushButton("All sessions  Esc", page);
  connect(back, &QPushButton::clicked, this, [this] { go(Sessions); });
  column->addWidget(viewerTitle_);
  column->addWidget(viewerWords_);
  column->addLayout(viewerButtons_);
  auto* row = new QHBoxLayout;
  row->addWidget(unseal_);
  row->addWidget(back);
  row->addStretch(1);
  column->addLayout(row);
  column->addStretch(1);
  return page;
}

QWidget* BlindPage::buildReport() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(0, 0, 0, 0);
  report_ = new QTextBrowser(page);
  report_->setAccessibleName("Result of the session");
  take_ = new QPushButton("Take the limit as criterion  T", page);
  take_->setToolTip("Latitude and Noise are judged by it from then on; undo takes it back");
  connect(take_, &QPushButton::clicked, this, &BlindPage::takeThreshold);
  save_ = new QPushButton("Export…  E", page);
  connect(save_, &QPushButton::clicked, this, &BlindPage::exportReport);
  auto* back = new QPushButton("All sessions  Esc", page);
  connect(back, &QPushButton::clicked, this, [this] { go(Sessions); });
  auto* row = new QHBoxLayout;
  for (auto* b : {take_, save_, back}) row->addWidget(b);
  row->addStretch(1);
  column->addWidget(report_, 1);
  column->addLayout(row);
  return page;
}

void BlindPage::setTheme(const Theme& theme) {
  show_->setTheme(theme);
}

void BlindPage::setPool(const std::vector<Shown>& pool) {
  pool_ = pool;
  setup_->setPool(pool);
}

const BlindSession* BlindPage::session() const {
  return current_ >= 0 && current_ < count() ? &sessions_[static_cast<size_t>(current_)].session : nullptr;
}

void BlindPage::go(Part part) {
  job_.cancel();
  parts_->setCurrentIndex(part);
  if (part == Viewers) fillViewers();
  if (part == Report) fillReport();
  if (part == Sessions) list_->setFocus();
}

void BlindPage::refresh() {
  current_ = -1;
  readSessions();
  if (part() != Setup) go(Sessions);
}

void BlindPage::readSessions() {
  sessions_.clear();
  int damaged = 0;
  for (const auto& [key, value] : document_.reviews()) {
    try {
      sessions_.push_back({key, sessionFromJson(value)});
    } catch (const Error&) {
      ++damaged;  // the others stay
    }
  }
  const int row = list_->currentRow();
  list_->clear();
  for (const auto& s : sessions_)
    list_->addItem(QString("%1: %2, %3")
                       .arg(q(s.session.plan.title),
                            counted(static_cast<int>(s.session.plan.viewers.size()), "viewer", "viewers"),
                            progressWords(s.session)));
  list_->setCurrentRow(std::clamp(row, list_->count() > 0 ? 0 : -1, list_->count() - 1));
  QString words = sessions_.empty() ? "Persons defend the body they own and forget the clip before. In a "
                                      "blind session names, order and repeats "
                                      "are hidden until all have answered; then it says who was consistent, "
                                      "who agreed, and where the limit lies."
                                    : counted(count(), "session", "sessions");
  if (damaged > 0) words += QString(" · %1 can't be read and are left out").arg(damaged);
  listWords_->setText(words);
}

void BlindPage::keep(const BlindSession& s) {
  const std::string key = sessions_[static_cast<size_t>(current_)].key;
  document_.keepReview(key, toJson(s));
}

void BlindPage::begin(const SessionPlan& plan) {
  try {
    const BlindSession s = sealed(plan);
    int number = 1;
    for (const auto& [key, value] : document_.reviews())
      number = std::max(number, std::atoi(key.c_str() + std::char_traits<char>::length(kReviewKey)) + 1);
    // Four figures, so that the tenth does not come before the second.
    const std::string key = kReviewKey + QString("%1").arg(number, 4, 10, QChar('0')).toStdString();
    document_.keepReview(key, toJson(s));
    for (int i = 0; i < count(); ++i)
      if (sessions_[static_cast<size_t>(i)].key == key) current_ = i;
    go(Viewers);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void BlindPage::open(int which) {
  if (which < 0 || which >= count()) return;
  current_ = which;
  go(session()->unsealed ? Report : Viewers);
}

void BlindPage::fillViewers() {
  const BlindSession* s = session();
  if (!s) return;
  viewerTitle_->setText(q(s->plan.title));
  viewerWords_->setText(
      complete(*s)
          ? "All have answered. Unsealed, names and results are shown, and nothing can be answered any more."
          : "Each looks alone. Only pictures are seen; 1, 2 and 3 answer. Who sits down?");
  while (QLayoutItem* item = viewerButtons_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  for (size_t v = 0; v < s->plan.viewers.size(); ++v) {
    const auto next = nextTrial(*s, v);
    const size_t all = trialsOf(s->plan, v).size();
    auto* b = new QPushButton(QString("%1   %2").arg(q(s->plan.viewers[v].initials),
                                                     next ? QString("%1 of %2 answered").arg(*next).arg(all)
                                                          : QString("has answered all %1").arg(all)),
                              this);
    b->setObjectName("viewer");
    b->setEnabled(next.has_value());
    b->setMaximumWidth(320);
    connect(b, &QPushButton::clicked, this, [this, v] { showTo(v); });
    viewerButtons_->addWidget(b);
  }
  unseal_->setEnabled(!s->votes.empty());
  unseal_->setText(complete(*s) ? "Unseal  U" : "Unseal before all have answered  U");
}

// All pictures are rendered before the first is shown, as large as the screen has room for.
void BlindPage::showTo(size_t viewer) {
  const BlindSession* s = session();
  if (!s || s->unsealed || !nextTrial(*s, viewer)) return;
  viewer_ = viewer;
  std::vector<Shown> list;
  for (const auto& c : s->plan.candidates) {
    const auto at = std::find_if(pool_.begin(), pool_.end(), [&](const Shown& x) { return x.key == c.key; });
    if (at == pool_.end())
      return emit failed("a picture of this session is not in the project any more", "",
                         "undo what was changed since it was sealed, or unseal it as it stands");
    list.push_back(*at);
  }
  const QSize most = screen() ? screen()->size() * devicePixelRatioF() : QSize(1920, 1080);
  job_.start("pictures", [this, list, most](const Progress& progress, const Job::Deliver& deliver) {
    auto pictures = std::make_shared<std::vector<QImage>>(list.size());
    std::mutex one;
    int ready = 0;
    parallelFor(static_cast<int>(list.size()), [&](int i) {
      const auto k = static_cast<size_t>(i);
      // Each its own: a job's progress is told by one at a time.
      const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
      const Picture p = renderShown(list[k], quiet);
      QImage image = QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888).copy();
      if (image.width() > most.width() || image.height() > most.height())
        image = image.scaled(most, Qt::KeepAspectRatio, Qt::SmoothTransformation);
      (*pictures)[k] = image;
      const std::lock_guard lock(one);
      progress.report(static_cast<double>(++ready) / static_cast<double>(list.size()), "");
    });
    deliver([this, pictures] {
      const BlindSession* now = session();
      if (!now) return;
      parts_->setCurrentIndex(Showing);
      show_->begin(*now, viewer_, std::move(*pictures));
    });
  });
}

void BlindPage::unsealNow() {
  if (!session() || session()->unsealed) return;
  try {
    BlindSession s = *session();
    unseal(s);
    keep(s);
    go(Report);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

// Thresholds with their bounds take half a second: beside the window.
void BlindPage::fillReport() {
  if (!session()) return;
  result_.reset();
  take_->setEnabled(false), save_->setEnabled(false);
  report_->setPlainText("Counting the answers …");
  const std::string key = sessions_[static_cast<size_t>(current_)].key;
  job_.start("blind review", [this, s = *session(), key](const Progress&, const Job::Deliver& deliver) {
    std::optional<SessionReport> result;
    QString words;
    try {
      result = reportOf(s);
      words = q(reviewHtml(s, *result));
    } catch (const Error& e) {
      words = q(e.problem() + "\n" + e.remedy());
    }
    deliver([this, key, result, words] {
      if (part() != Report || !session() || sessions_[static_cast<size_t>(current_)].key != key) return;
      result_ = result;
      result_ ? report_->setHtml(words) : report_->setPlainText(words);
      save_->setEnabled(result_.has_value());
      take_->setEnabled(result_ && specOfMetric(session()->plan.criterion) && result_->threshold &&
                        result_->threshold->clean && !result_->threshold->contradictory);
    });
  });
}

void BlindPage::takeThreshold() {
  const BlindSession* s = session();
  if (!s || !take_->isEnabled()) return;
  const ThresholdFit f = *result_->threshold;
  const CriterionSpec& c = *specOfMetric(s->plan.criterion);
  const LimitPair before = document_.criteria()[c.id];
  const double clean = std::max(0.0, f.clean->at), lost = f.lost ? std::max(0.0, f.lost->at) : before.lost;
  // The further one first: a limit never passes the other.
  const bool lostFirst = c.beyond(clean, before.lost);
  CriteriaProfile p = withLimit(document_.criteria(), c.id, !lostFirst, lostFirst ? lost : clean);
  p = withLimit(p, c.id, lostFirst, lostFirst ? clean : lost);
  document_.setCriteria(p, QString("limits of %1 from the blind review").arg(c.words));
  emit done(QString("%1 is judged by %2 and %3 from now on")
                .arg(c.words)
                .arg(clean, 0, 'f', 2)
                .arg(lost, 0, 'f', 2));
}

void BlindPage::exportReport() {
  if (!session() || !result_) return;
  const QString file = QFileDialog::getSaveFileName(this, "Export the result", "blind-review.json",
                                                    "Results (*.json);;Pages (*.html)", nullptr,
                                                    QFileDialog::DontUseNativeDialog);
  if (file.isEmpty()) return;
  try {
    writeFileAtomically(
        file.toStdString(),
        file.endsWith(".html")
            ? "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Blind review</title>" +
                  reviewHtml(*session(), *result_) + "</html>\n"
            : toJson(*session(), *result_).dump(2) + "\n");
    emit done("written: " + file);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

std::vector<Command> BlindPage::commands() {
  if (part() == Showing)
    return {{"1", "accept; of pairs: the first is better", [this] { show_->key(0); }, {}},
            {"2", "with clean-up; of pairs: the second is better", [this] { show_->key(1); }, {}},
            {"3", "no", [this] { show_->key(2); }, {}},
            {"Space", "of a pair: the other one", [this] { show_->swapPair(); }, {}},
            {"Esc", "stop here; what was answered stays", [this] { go(Viewers); }, {}}};
  const auto at = [this](Part p) { return [this, p] { return part() == p; }; };
  return {{"N", "a new session", [this] { go(Setup); }, at(Sessions)},
          {"Return", "open the session", [this] { open(list_->currentRow()); }, at(Sessions)},
          {"U", "unseal: names and results; no answer after it", [this] { unsealNow(); }, at(Viewers)},
          {"T", "take the limit as criterion", [this] { takeThreshold(); }, at(Report)},
          {"E", "export the result\u2026", [this] { exportReport(); },
           [this] { return save_->isEnabled() && part() == Report; }},
          {"1 2 3",
           "while pictures are shown: accept, with clean-up, no; of pairs: the first, the second",
           {},
           {}},
          {"Esc", "back to all sessions", [this] { go(Sessions); }, [this] { return part() != Sessions; }}};
}

}  // namespace edge::app
