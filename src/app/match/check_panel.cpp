#include "match/check_panel.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "base/error.h"
#include "base/numbers.h"
#include "project/decode_json.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr double kAround = 0.02;  // of the picture, shown around a place

Picture cropped(const Picture& p, double x0, double y0, double x1, double y1) {
  const auto at = [](double share, int size) { return std::clamp(static_cast<int>(share * size), 0, size); };
  const int l = at(x0 - kAround, p.width), r = std::max(l + 2, at(x1 + kAround, p.width)),
            t = at(y0 - kAround, p.height), b = std::max(t + 2, at(y1 + kAround, p.height));
  Picture out{std::min(r, p.width) - l, std::min(b, p.height) - t, {}};
  for (int y = t; y < t + out.height; ++y) {
    const auto row = p.rgb.begin() + 3L * (static_cast<long>(y) * p.width + l);
    out.rgb.insert(out.rgb.end(), row, row + 3L * out.width);
  }
  return out;
}

QString stateOf(const TakeCheck& c) {
  return !c.told ? "not told" : c.pass ? "holds" : "fails";
}

// A magnitude is compared with its tolerance; focus is the other way round.
QString toleranceOf(const TakeCheck& c) {
  if (c.tolerance <= 0) return {};
  return QString("%1 %2 %3")
      .arg(c.code == "focus" ? "at least" : "within", q(formatNumber(c.tolerance, 3)), q(c.unit));
}

}  // namespace

CheckPanel::CheckPanel(QWidget* parent) : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  whole_ = new PictureView(this);
  whole_->setMinimumSize(320, 150);
  words_ = new WrappedLabel(this);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  list_ = new QListWidget(this);
  list_->setAccessibleName("Checks of this take");
  list_->setWordWrap(true);
  list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  evidence_ = new QStackedWidget(this);
  plot_ = new Plot(evidence_);
  plot_->setAccessibleName("What the chosen check was seen by");
  auto* pair = new QWidget(evidence_);
  auto* row = new QHBoxLayout(pair);
  row->setContentsMargins(0, 0, 0, 0);
  left_ = new PictureView(pair), right_ = new PictureView(pair);
  row->addWidget(left_), row->addWidget(right_);
  evidence_->addWidget(plot_);
  evidence_->addWidget(pair);
  evidence_->setMinimumHeight(150);
  column->addWidget(whole_, 3);
  column->addWidget(words_);
  column->addWidget(list_, 4);
  column->addWidget(evidence_, 3);
  connect(list_, &QListWidget::currentRowChanged, this, [this] { showEvidence(); });
}

void CheckPanel::setTheme(const Theme& t) {
  for (auto* p : {whole_, left_, right_}) p->setTheme(t);
  plot_->setTheme(t);
}

void CheckPanel::clear(const QString& words) {
  key_.clear(), shown_.clear(), take_.reset(), base_.reset();
  job_.cancel();
  words_->clear();
  list_->clear();
  evidence_->hide();
  whole_->clearPicture(words);
  for (auto* p : {left_, right_}) p->clearPicture("");
}

void CheckPanel::show(const QString& words, const CheckedTake* checked, const Sources& sources) {
  words_->setText(words);
  const int row = list_->currentRow();
  const auto checks = checked ? checked->checks : std::vector<TakeCheck>();
  const bool same =
      checks.size() == shown_.size() && sources.take == sources_.take &&
      std::equal(checks.begin(), checks.end(), shown_.begin(), [](const auto& a, const auto& b) {
        return a.code == b.code && a.words == b.words && a.pass == b.pass;
      });
  sources_ = sources;
  if (!same) {
    const QSignalBlocker quiet(list_);
    list_->clear();
    shown_ = checks;
    // What fails first.
    std::stable_sort(shown_.begin(), shown_.end(), [](const TakeCheck& a, const TakeCheck& b) {
      return std::make_pair(a.pass, !a.told) < std::make_pair(b.pass, !b.told);
    });
    for (const auto& c : shown_) {
      const QString tolerance = toleranceOf(c);
      auto* item = new QListWidgetItem(stateOf(c) + "   " + q(c.words) +
                                       (tolerance.isEmpty() ? QString() : "  (" + tolerance + ")"));
      if (!c.pass) item->setFont(typeface(size::kBody, true));
      list_->addItem(item);
    }
    list_->setVisible(!shown_.empty());
    list_->setCurrentRow(shown_.empty() ? -1 : std::clamp(row, 0, static_cast<int>(shown_.size()) - 1));
    if (!shown_.empty() && !shown_[0].pass) list_->setCurrentRow(0);
  }
  loadPictures();
  showEvidence();
}

void CheckPanel::choose(int check) {
  list_->setCurrentRow(check);
}

void CheckPanel::loadPictures() {
  const std::string key = sources_.take.string() + "|" + sources_.base.string() + "|" +
                          toJson(sources_.decode).dump() + sources_.display + "|" +
                          std::to_string(sources_.k);
  if (key == key_) return;
  key_ = key;
  take_.reset(), base_.reset();
  if (sources_.take.empty()) return;
  whole_->clearPicture("reading …");
  job_.start("picture", [this, s = sources_](const Progress& progress, const Job::Deliver& deliver) {
    try {
      // As it was shot for the eye; brought to the base's exposure for comparing.
      auto asShot = std::make_shared<Picture>(renderPicture(s.take, s.decode, 0, 1, 0, s.display, progress));
      deliver([this, asShot, s] { whole_->setPicture(*asShot, s.caption); });
      if (s.base.empty()) return;
      auto take = std::make_shared<Picture>(
          renderPicture(s.take, s.decode, s.takeFrame, s.k, 0, s.display, progress));
      auto base =
          std::make_shared<Picture>(renderPicture(s.base, s.decode, s.baseFrame, 1, 0, s.display, progress));
      deliver([this, take, base] {
        take_ = take, base_ = base;
        showEvidence();
      });
    } catch (const Error& e) {
      deliver([this, words = q(e.problem())] { whole_->clearPicture(words); });
    }
  });
}

void CheckPanel::showEvidence() {
  const int row = list_->currentRow();
  const bool any = row >= 0 && row < static_cast<int>(shown_.size());
  const nlohmann::json e = any ? shown_[static_cast<size_t>(row)].evidence : nlohmann::json();
  const std::string kind = e.is_object() ? e.value("kind", "") : "";
  evidence_->setVisible(any && !kind.empty());
  if (kind == "place") showPlace(e);
  if (kind == "curve") showCurve(e, shown_[static_cast<size_t>(row)]);
}

void CheckPanel::showPlace(const nlohmann::json& e) {
  evidence_->setCurrentIndex(1);
  if (!take_ || !base_) {
    left_->clearPicture("reading the base …");
    return right_->clearPicture("reading the take …");
  }
  const auto crop = [&](const Picture& p) {
    return cropped(p, e.at("x0"), e.at("y0"), e.at("x1"), e.at("y1"));
  };
  left_->setPicture(crop(*base_), "base");
  right_->setPicture(crop(*take_), "this take, at the base's exposure");
}

void CheckPanel::showCurve(const nlohmann::json& e, const TakeCheck& check) {
  evidence_->setCurrentIndex(0);
  const auto x = e.at("x").get<std::vector<double>>(), y = e.at("y").get<std::vector<double>>();
  plot_->clearAll();
  if (!x.empty()) {
    auto* graph = plot_->addCurve(q(check.code), plot_->currentTheme().text, x, y);
    if (check.code == "vignetting" || check.code == "uneven") graph->setLineStyle(QCPGraph::lsNone);
    const auto [x0, x1] = std::minmax_element(x.begin(), x.end());
    const auto [y0, y1] = std::minmax_element(y.begin(), y.end());
    const double middle = (*y0 + *y1) / 2, half = std::max({check.tolerance, (*y1 - *y0) * 0.6, 1e-3});
    plot_->xAxis->setRange(*x0 - 0.3, *x1 + 0.3);
    if (*x1 - *x0 < 1.5) plot_->xAxis->setRange(*x0 - 0.05, *x1 + 0.05);
    plot_->yAxis->setRange(middle - half, middle + half);
    plot_->setAxes(q(e.at("x_label").get<std::string>()), q(e.at("y_label").get<std::string>()));
  }
  plot_->drawSoon();
}

}  // namespace edge::app
