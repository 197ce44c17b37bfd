#include "review/bodies_page.h"

#include <fmt/format.h>

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "bodies/match_files.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {

BodiesPage::BodiesPage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  auto* row = new QHBoxLayout;
  a_ = new QComboBox(this), b_ = new QComboBox(this);
  a_->setAccessibleName("Reference"), b_->setAccessibleName("The other body");
  limit_ = new QDoubleSpinBox(this);
  limit_->setAccessibleName("Limit of the mean difference, CIEDE2000");
  limit_->setRange(0.5, 30), limit_->setSingleStep(0.5), limit_->setDecimals(1),
      limit_->setValue(kIntercutLimit);
  for (auto* box : {a_, b_}) {
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    box->setMinimumContentsLength(22);
    connect(box, &QComboBox::activated, this, &BodiesPage::compareChosen);
  }
  connect(limit_, &QDoubleSpinBox::valueChanged, this, &BodiesPage::compareChosen);
  row->addWidget(new QLabel("Reference", this));
  row->addWidget(a_, 1);
  row->addWidget(new QLabel("against it", this));
  row->addWidget(b_, 1);
  row->addWidget(new QLabel("limit, mean \u0394E", this));
  row->addWidget(limit_);
  headline_ = new WrappedLabel(this), drifts_ = new WrappedLabel(this);
  headline_->setObjectName("title");
  ruler_ = new RulerWidget(this);
  table_ = new QTableWidget(this);
  table_->setAccessibleName("Difference of every patch at every step, CIEDE2000");
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->verticalHeader()->setDefaultSectionSize(24);
  match_ = new QTextBrowser(this);
  match_->setAccessibleName("The match and what it costs");
  match_->setMinimumWidth(330);
  auto *below = new QHBoxLayout, *files = new QHBoxLayout;
  auto* side = new QVBoxLayout;
  side->addWidget(match_, 1);
  const std::pair<const char*, CorrectionFormat> kFormats[] = {
      {"CDL…", CorrectionFormat::Cdl}, {"CLF…", CorrectionFormat::Clf}, {"cube…", CorrectionFormat::Cube}};
  for (const auto& [words, format] : kFormats) {
    auto* b = new QPushButton(words, this);
    connect(b, &QPushButton::clicked, this, [this, format = format] { ask(format); });
    exports_.push_back(b);
    files->addWidget(b);
  }
  files->addStretch(1);
  side->addLayout(files);
  below->addWidget(table_, 3);
  below->addLayout(side, 2);
  column->addLayout(row);
  column->addWidget(headline_);
  column->addWidget(drifts_);
  column->addWidget(ruler_);
  column->addLayout(below, 1);
  connect(&job_, &Job::failed, this, [this](const QString& problem, const QString&, const QString& remedy) {
    say(problem + ": " + remedy);
  });
}

void BodiesPage::setTheme(const Theme& theme) {
  ruler_->setTheme(theme);
}

void BodiesPage::refresh() {
  const QVariant before[] = {a_->currentData(), b_->currentData()};
  std::vector<const Finding*> measured;
  for (const auto& f : document_.findings())
    if (f.latitudeMeasure) measured.push_back(&f);
  QComboBox* const boxes[] = {a_, b_};
  for (int i = 0; i < 2; ++i) {
    const QSignalBlocker quietly(boxes[i]);
    boxes[i]->clear();
    for (const auto* f : measured)
      boxes[i]->addItem(q(f->configuration.label()), qlonglong(f->configuration.id));
    int at = before[i].isValid() ? boxes[i]->findData(before[i]) : -1;
    // First the first, against the first of another body, in the same mode if there is one.
    for (const bool sameMode : {true, false})
      for (size_t k = 0; at < 0 && i == 1 && k < measured.size(); ++k) {
        const Configuration &c = measured[k]->configuration, &first = measured[0]->configuration;
        if (c.body != first.body && (!sameMode || c.mode == first.mode)) at = static_cast<int>(k);
      }
    boxes[i]->setCurrentIndex(std::max(0, at));
  }
  compareChosen();
}

const Finding* BodiesPage::chosen(const QComboBox* box) const {
  for (const auto& f : document_.findings())
    if (f.latitudeMeasure && f.configuration.id == box->currentData().toLongLong()) return &f;
  return nullptr;
}

void BodiesPage::compare(int a, int b) {
  a_->setCurrentIndex(a), b_->setCurrentIndex(b);
  compareChosen();
}

void BodiesPage::say(const QString& words) {
  result_.reset();
  show();
  headline_->setText(words);
}

void BodiesPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  if (stale_) compareChosen();
}

// The match is searched for, which takes seconds: what is shown of the same two stays until then.
void BodiesPage::compareChosen() {
  stale_ = !isVisible();
  const Finding *a = chosen(a_), *b = chosen(b_);
  if (!a || !b || a == b || stale_) job_.cancel();
  if (!a || !b) return say("Two measured brackets are compared; there are none yet.");
  if (a == b) return say("Choose two different configurations.");
  const Pair pair = {q(a->configuration.label() + " and " + b->configuration.label()), a->configuration.body,
                     b->configuration.body};
  if (!result_ || pair.label != pair_.label) say("Comparing " + pair.label + "…");
  pair_ = pair;
  if (stale_) return;
  job_.start("comparing",
             [this, limit = limit_->value(),
              two = std::make_shared<std::pair<LatitudeMeasure, LatitudeMeasure>>(
                  *a->latitudeMeasure, *b->latitudeMeasure)](const Progress&, const Job::Deliver& deliver) {
               auto result = std::make_shared<TwoBodies>(compareBodies(two->first, two->second, limit));
               deliver([this, result] {
                 result_ = std::move(*result);
                 show();
               });
             });
}

void BodiesPage::show() {
  for (auto* e : exports_) e->setEnabled(result_.has_value());
  drifts_->clear(), match_->clear();
  fillRuler();
  fillTable();
  if (!result_) return;
  headline_->setText(pair_.label + " " + q(wordsOf(result_->intercut)));
  QStringList words;
  if (const auto drift = driftWords(*result_, pair_.bodyA, pair_.bodyB); !drift.empty()) words << q(drift);
  for (const auto& w : result_->warnings) words << q(w.message);
  drifts_->setText(words.join("\n"));
  fillMatch();
}

void BodiesPage::fillRuler() {
  RulerData d;
  d.zeroName = "base";
  RulerRow row;
  row.label = "Cut together", row.note = "mean \u0394E by step";
  if (result_) {
    if (const auto& i = result_->intercut)
      row.bars.push_back(
          {i->from, i->to, Pattern::Solid, i->openBelow, i->openAbove, q(wordsOf(result_->intercut)), false});
    for (const auto& s : result_->steps) {
      RulerMark m;
      m.at = s.step, m.name = q(formatNumber(s.mean, 1));
      m.words =
          QString("step %1, mean difference %2%3")
              .arg(q(formatStops(s.step)), q(formatNumber(s.mean, 2)), s.opposite ? ", drifting apart" : "");
      row.marks.push_back(m);
    }
  }
  d.rows = {row};
  ruler_->setData(d);
}

// Patches by steps; what is beyond the limit is bold, what clips in one of them stands in brackets.
void BodiesPage::fillTable() {
  table_->clear();
  table_->setRowCount(0), table_->setColumnCount(0);
  if (!result_ || result_->steps.empty()) return;
  const auto& steps = result_->steps;
  table_->setColumnCount(static_cast<int>(steps.size()));
  table_->setRowCount(static_cast<int>(steps.front().patches.size()));
  QStringList columns, rows;
  for (const auto& s : steps) columns << (s.step == 0 ? QString("base") : q(formatStops(s.step)));
  for (const auto& p : steps.front().patches) rows << q(p.name);
  table_->setHorizontalHeaderLabels(columns);
  table_->setVerticalHeaderLabels(rows);
  for (size_t c = 0; c < steps.size(); ++c)
    for (size_t r = 0; r < steps[c].patches.size() && r < steps.front().patches.size(); ++r) {
      const ColourDifference& p = steps[c].patches[r];
      const QString figure = q(formatNumber(p.deltaE, 1));
      auto* item = new QTableWidgetItem(p.intact ? figure : "(" + figure + ")");
      item->setTextAlignment(Qt::AlignCenter);
      item->setFont(typeface(size::kBody, p.deltaE > result_->limit));
      item->setToolTip(q(fmt::format("{}, {}: L* {:+.1f}, a* {:+.1f}, b* {:+.1f}, {}{}", p.name,
                                     steps[c].step == 0 ? "base" : formatStops(steps[c].step), p.L, p.a, p.b,
                                     shiftWords(p.a, p.b), p.intact ? "" : "; clipped in one of them")));
      table_->setItem(static_cast<int>(r), static_cast<int>(c), item);
    }
  table_->resizeColumnsToContents();
}

void BodiesPage::fillMatch() {
  const BodyMatch& m = result_->match;
  std::string h = fmt::format(
      "<p><b>Taken to the reference</b>, mean \u0394E over the steps that cut together: {:.1f} as they are, "
      "{:.1f} by the "
      "matrix{}</p>",
      m.before, m.after, m.afterCdl ? fmt::format(", {:.1f} by the CDL", *m.afterCdl) : "");
  if (m.after >= m.before && (!m.afterCdl || *m.afterCdl >= m.before))
    return match_->setHtml(
        q(h + "<p>Neither brings them nearer to each other than they are: no match is needed.</p>"));
  h += "<p><b>Matrix</b> on scene-linear light" + std::string(m.diagonal ? ", gains alone" : "") + "<br>";
  for (const auto& r : m.matrix)
    h += fmt::format("{:+.4f} &nbsp; {:+.4f} &nbsp; {:+.4f}<br>", r[0], r[1], r[2]);
  h += fmt::format("noise times {:.2f} red, {:.2f} green, {:.2f} blue, {:.2f} luma</p>", m.noise[0],
                   m.noise[1], m.noise[2], m.noiseLuma);
  if (m.grade) {
    const Cdl& cdl = m.grade->correction.cdl;
    const std::string encoding = isCurveName(m.logEncoding) ? m.logEncoding : "the clip's own encoding";
    const auto three = [](const Vec3& v, const char* form) {
      return fmt::format(fmt::runtime(form), v[0]) + " " + fmt::format(fmt::runtime(form), v[1]) + " " +
             fmt::format(fmt::runtime(form), v[2]);
    };
    h += fmt::format("<p><b>CDL</b> on {} code<br>slope {}<br>offset {}<br>power {}<br>saturation {:.3f}</p>",
                     encoding, three(cdl.slope, "{:.4f}"), three(cdl.offset, "{:+.4f}"),
                     three(cdl.power, "{:.4f}"), cdl.saturation);
    if (!m.grade->atBound.empty())
      h += fmt::format("<p>At its bound: {}: the match is luck.</p>", fmt::join(m.grade->atBound, ", "));
  }
  match_->setHtml(q(h));
}

void BodiesPage::exportTo(CorrectionFormat format, const std::filesystem::path& folder) {
  if (!result_) return;
  const auto files = writeMatch(folder, format, *result_);
  if (files.empty())
    emit failed("there is no CDL for these two", "", "export a cube of the matrix in place of it");
  else
    emit done("written: " + q(files.front().string()));
}

void BodiesPage::ask(CorrectionFormat format) {
  const QString folder =
      QFileDialog::getExistingDirectory(this, "Folder for the match", {}, QFileDialog::DontUseNativeDialog);
  if (folder.isEmpty()) return;
  try {
    exportTo(format, folder.toStdString());
  } catch (const std::exception& e) {
    emit failed("the match can't be written", folder, q(e.what()));
  }
}

std::vector<Command> BodiesPage::commands() {
  const auto some = [this] { return result_.has_value(); };
  return {{"S", "reference and other change places",
           [this] { compare(b_->currentIndex(), a_->currentIndex()); }, some},
          {"+", "limit up by half", [this] { limit_->stepUp(); }, some},
          {"-", "limit down by half", [this] { limit_->stepDown(); }, some},
          {"D", "write the match as CDL\u2026", [this] { ask(CorrectionFormat::Cdl); }, some}};
}

}  // namespace edge::app
