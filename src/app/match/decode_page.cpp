#include "match/decode_page.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QVBoxLayout>
#include <cmath>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "base/units.h"
#include "color/display.h"
#include "color/ocio.h"
#include "project/analysis.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr int kSide = 400;
constexpr const char* kParameters[] = {"base",          "logSideSlope", "logSideOffset", "linSideSlope",
                                       "linSideOffset", "linSideBreak", "linearSlope"};
constexpr const char* kFromFile = "from a file…";
constexpr const char* kTyped = "type parameters…";
constexpr const char* kLibrary = "list those of the colour library…";

template <class List>
bool contains(const List& list, const std::string& word) {
  return std::find(list.begin(), list.end(), word) != list.end();
}

}  // namespace

DecodePage::DecodePage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(size::kMargin);
  row->addWidget(buildForm());
  auto* plots = new QVBoxLayout;
  plot_ = new Plot(this), residuals_ = new Plot(this);
  plot_->setAccessibleName("Curve in use and curve measured from the bracket");
  residuals_->setAccessibleName("What is left of the codes after the measured curve");
  plot_->setLegendCorner(Qt::AlignTop | Qt::AlignLeft);
  plots->addWidget(plot_, 3);
  plots->addWidget(residuals_, 2);
  row->addLayout(plots, 1);
  connect(&document_, &Document::findingsChanged, this, &DecodePage::refreshIfSeen);
  connect(&document_, &Document::currentChanged, this, &DecodePage::refreshIfSeen);
  connect(&job_, &Job::failed, this, &DecodePage::failed);
  connect(&document_, &Document::opened, &job_, &Job::abandon);  // measured for another project
  connect(&job_, &Job::progress, this, [this](double, const QString& what) { words_->setText(what); });
  connect(&job_, &Job::failed, this, [this](const QString& problem) { words_->setText(problem); });
}

QWidget* DecodePage::buildForm() {
  auto* side = new QWidget(this);
  side->setFixedWidth(kSide);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  title_ = new QLabel(side);
  title_->setObjectName("title");
  questions_ = new WrappedLabel(side);
  questions_->setObjectName("problem");
  column->addWidget(title_);
  column->addWidget(questions_);
  auto* form = new QFormLayout;
  curve_ = new QComboBox(side), range_ = new QComboBox(side), matrix_ = new QComboBox(side),
  display_ = new QComboBox(side);
  curve_->setAccessibleName("Transfer curve"), range_->setAccessibleName("Code range");
  matrix_->setAccessibleName("Matrix"), display_->setAccessibleName("Display transform");
  curve_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  range_->addItems({"as the file is tagged", "full", "legal"});
  matrix_->addItems({"as the file is tagged", "bt601", "bt709", "bt2020"});
  display_->addItems({kSoftShoulder, "bt709"});
  form->addRow("Curve", curve_);
  form->addRow("Range", range_);
  form->addRow("Matrix", matrix_);
  form->addRow("Display", display_);
  column->addLayout(form);
  connect(curve_, &QComboBox::activated, this, &DecodePage::curveChosen);
  for (auto* box : {range_, matrix_, display_})
    connect(box, &QComboBox::activated, this, &DecodePage::chosen);
  column->addWidget(parameters_ = buildParameters());
  facts_ = new WrappedLabel(side);
  facts_->setObjectName("quiet");
  column->addWidget(facts_);
  auto* buttons = new QHBoxLayout;
  measure_ = new QPushButton("Measure the curve from the bracket", side);
  use_ = new QPushButton("Use it", side);
  connect(measure_, &QPushButton::clicked, this, &DecodePage::measureCurve);
  connect(use_, &QPushButton::clicked, this, &DecodePage::useMeasured);
  buttons->addWidget(measure_, 1);
  buttons->addWidget(use_);
  column->addLayout(buttons);
  auto* all = new QPushButton("Read all configurations of this body and mode so", side);
  connect(all, &QPushButton::clicked, this, &DecodePage::useForMode);
  column->addWidget(all);
  words_ = new WrappedLabel(side);
  column->addWidget(words_);
  column->addStretch();
  return side;
}

QWidget* DecodePage::buildParameters() {
  auto* box = new QWidget(this);
  auto* form = new QFormLayout(box);
  form->setContentsMargins(0, 0, 0, 0);
  for (const char* name : kParameters) {
    auto* field = new QLineEdit(box);
    field->setAccessibleName(name);
    field->setPlaceholderText(std::string(name) == "linearSlope" ? "that of the log part at the break" : "");
    fields_.push_back(field);
    form->addRow(name, field);
  }
  auto* use = new QPushButton("Use these parameters", box);
  connect(use, &QPushButton::clicked, this, &DecodePage::typeParameters);
  form->addRow("", use);
  box->hide();
  return box;
}

const Configuration* DecodePage::configuration() const {
  const Finding* f = document_.current();
  return f ? &f->configuration : nullptr;
}

void DecodePage::setTheme(const Theme& theme) {
  plot_->setTheme(theme), residuals_->setTheme(theme);
  refreshPlots();
}

// Pictures, curves and hashes cost time: nothing is done for a page that nobody looks at.
void DecodePage::refreshIfSeen() {
  if (isVisible()) refresh();
}

void DecodePage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  refresh();
}

void DecodePage::refresh() {
  const Configuration* c = configuration();
  title_->setText(c ? q(c->label()) : QString("No configuration yet: keep links first"));
  setEnabled(c != nullptr);
  if (!c) return questions_->hide();
  curve_->clear();
  if (c->decode.curve.empty()) curve_->addItem("not known: choose one", "");
  const auto names = namedCurves();
  const bool listed =
      std::any_of(names.begin(), names.end(), [&](const CurveEntry& n) { return c->decode.curve == n.name; });
  if (!c->decode.curve.empty() && !listed) curve_->addItem(q(c->decode.curve), q(c->decode.curve));
  for (const auto& n : names) {
    curve_->addItem(n.name, n.name);
    curve_->setItemData(curve_->count() - 1, n.source, Qt::ToolTipRole);
  }
  for (const char* n : {kFromFile, kTyped, kLibrary}) curve_->addItem(n, n);
  curve_->setCurrentIndex(curve_->findData(q(c->decode.curve)));
  range_->setItemText(0, contains(c->ask, "range") ? "not known: choose one" : "as the file is tagged");
  matrix_->setItemText(0, contains(c->ask, "matrix") ? "not known: choose one" : "as the file is tagged");
  range_->setCurrentIndex(!c->decode.range ? 0 : *c->decode.range == Range::Full ? 1 : 2);
  matrix_->setCurrentIndex(
      c->decode.matrix ? std::max(0, matrix_->findText(q(std::string(nameOf(*c->decode.matrix))))) : 0);
  if (display_->findText(q(c->display)) < 0) display_->addItem(q(c->display));
  display_->setCurrentText(q(c->display));
  QStringList open;
  for (const auto& a : c->ask) open << q(questionWords(a));
  questions_->setVisible(!open.isEmpty());
  questions_->setText("The files don't say " + open.join(", nor ") + ". Nothing is measured until you do.");
  readFormat();
  refreshPlots();
}

// What the first clip is, in words; raw is developed at one value for the whole series.
void DecodePage::readFormat() {
  const Configuration* c = configuration();
  const ClipRecord* clip =
      c->clipOfKind(ClipKind::Base) ? c->clipOfKind(ClipKind::Base) : c->clipOfKind(ClipKind::Wedge);
  const std::string path = clip ? (document_.project().folder() / clip->path).string() : "";
  if (path == formatOf_) return;
  formatOf_ = path;
  facts_->setText("");
  if (path.empty()) return;
  formatJob_.start("format", [this, path](const Progress&, const Job::Deliver& deliver) {
    const ClipInfo info = openClip(path)->info();
    deliver([this, info] {
      format_ = info.format;
      QStringList words = {
          QString("%1 x %2, %3").arg(format_.width).arg(format_.height).arg(q(info.pixelFormatName))};
      if (format_.layout == Layout::Yuv) {
        words << (format_.range
                      ? QString("tagged %1 range").arg(*format_.range == Range::Full ? "full" : "legal")
                      : QString("range not tagged"));
        words << (format_.matrix ? "tagged " + q(std::string(nameOf(*format_.matrix)))
                                 : QString("matrix not tagged"));
      }
      if (format_.layout == Layout::Cfa)
        words << QString(
                     "raw: black %1, white %2, white balance red %3 blue %4 for the whole series; highlights "
                     "are not rebuilt, nothing is demosaiced for measuring")
                     .arg(format_.black[0])
                     .arg(format_.white)
                     .arg(q(formatNumber(format_.whiteBalance[0], 2)),
                          q(formatNumber(format_.whiteBalance[2], 2)));
      facts_->setText(words.join(" · "));
    });
  });
}

void DecodePage::put(Configuration changed, const QString& words) {
  // Answered where it was given; the rest stays asked.
  const auto answered = [&](const std::string& question) {
    return question == "curve"   ? !changed.decode.curve.empty()
           : question == "range" ? changed.decode.range.has_value()
                                 : changed.decode.matrix.has_value();
  };
  changed.ask.erase(std::remove_if(changed.ask.begin(), changed.ask.end(), answered), changed.ask.end());
  document_.setSetups({std::move(changed)}, words);
}

void DecodePage::chosen() {
  const Configuration* c = configuration();
  if (!c) return;
  Configuration changed = *c;
  const int r = range_->currentIndex();
  changed.decode.range = r == 0 ? std::nullopt : std::optional(r == 1 ? Range::Full : Range::Legal);
  changed.decode.matrix =
      matrix_->currentIndex() == 0 ? std::nullopt : parsePrimaries(matrix_->currentText().toStdString());
  changed.display = display_->currentText().toStdString();
  put(changed, "read as " + range_->currentText() + ", " + matrix_->currentText());
}

void DecodePage::curveChosen(int index) {
  const QString text = curve_->itemData(index).toString();
  parameters_->setVisible(text == kTyped);
  if (text == kTyped || text.isEmpty()) return;
  if (text == kLibrary) return listLibrary();
  if (text != kFromFile) return setCurve(text.toStdString(), "curve " + text);
  const QString file = QFileDialog::getOpenFileName(this, "Curve file", QString(),
                                                    "Curves (*.csv *.json *.clf *.cube *.spi1d)", nullptr,
                                                    QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty())
    loadCurve(file.toStdString());
  else
    refresh();
}

void DecodePage::setCurve(const std::string& curve, const QString& words) {
  const Configuration* c = configuration();
  if (!c) return;
  Configuration changed = *c;
  changed.decode.curve = curve;
  put(changed, words);
}

// Copied into the project's folder, so that the project stays whole when it is moved.
void DecodePage::loadCurve(const fs::path& file) {
  try {
    (void)makeCurve(file.string());
    const std::string text = readText(file);
    const std::string name =
        "curves/" + file.stem().string() + "-" + hashBytes(text).substr(0, 6) + file.extension().string();
    fs::create_directories(document_.project().folder() / "curves");
    writeFileAtomically(document_.project().folder() / name, text);
    setCurve(name, "curve from " + q(file.filename().string()));
  } catch (const Error& e) {
    refresh();
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void DecodePage::typeParameters() {
  try {
    nlohmann::json j;
    for (size_t i = 0; i < fields_.size(); ++i) {
      const std::string text = fields_[i]->text().trimmed().toStdString();
      if (text.empty() && std::string(kParameters[i]) == "linearSlope") continue;
      const auto v = parseNumber(text);
      if (!v) throw Error("not a number: \"" + text + "\"", "", kParameters[i], "type one, as 0.18 or 0,18");
      j[kParameters[i]] = *v;
    }
    const std::string text = j.dump(2) + "\n",
                      name = "curves/typed-" + hashBytes(text).substr(0, 6) + ".json";
    const fs::path file = document_.project().folder() / name;
    fs::create_directories(file.parent_path());
    writeFileAtomically(file, text);
    (void)makeCurve(file.string());
    parameters_->hide();
    setCurve(name, "curve by parameters");
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.place()), q(e.remedy()));
  }
}

// Names and descriptions are the library's own, read now.
void DecodePage::listLibrary() {
  words_->setText("asking the colour library …");
  job_.start("colour library", [this](const Progress&, const Job::Deliver& deliver) {
    const auto list = libraryTransforms();
    deliver([this, list] {
      curve_->clear();
      curve_->addItem(QString("%1 transforms of the colour library: choose one").arg(list.size()), "");
      for (const auto& t : list) {
        curve_->addItem(q(t.name), q(kLibraryPrefix + t.name));
        curve_->setItemData(curve_->count() - 1, q(t.words), Qt::ToolTipRole);
      }
      words_->setText("Of each, the response to neutral input is used.");
    });
  });
}

void DecodePage::measureCurve() {
  const Configuration* c = configuration();
  if (!c) return;
  if (!hasBracket(*c)) {
    words_->setText("It needs a bracket, its base and a placed chart with grey steps.");
    return;
  }
  words_->setText("reading the bracket …");
  job_.start("measuring the curve", [this, c = *c, folder = document_.project().folder()](
                                        const Progress& progress, const Job::Deliver& deliver) {
    const CurveFit fit = fitCurve(gatherCurve(seriesOf(c, folder), progress));
    deliver([this, fit, id = c.id, hash = curveInputHash(c, folder)] {
      document_.storeResult(id, kCurveResult, hash, toJson(fit));
    });
  });
}

void DecodePage::useMeasured() {
  const Configuration* c = configuration();
  const auto fit = c ? storedCurve(document_.project(), *c) : std::nullopt;
  if (!fit) return;
  try {
    setCurve(writeMeasuredCurve(*c, document_.project().folder(), *fit), "curve as measured");
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void DecodePage::useForMode() {
  const Configuration* c = configuration();
  if (!c) return;
  std::vector<Configuration> changed;
  for (const auto& f : document_.findings())
    if (f.configuration.id != c->id && f.configuration.body == c->body && f.configuration.mode == c->mode) {
      changed.push_back(f.configuration);
      changed.back().decode = c->decode, changed.back().display = c->display, changed.back().ask = c->ask;
    }
  const auto n = changed.size();
  if (n > 0) document_.setSetups(std::move(changed), "read alike");
  words_->setText(QString("%1 other configurations are read so now.").arg(n));
}

void DecodePage::refreshPlots() {
  const Configuration* c = configuration();
  if (!c) return;
  plot_->clearAll(), residuals_->clearAll();
  const Theme& t = plot_->currentTheme();
  const auto fit = storedCurve(document_.project(), *c);
  use_->setEnabled(fit.has_value());
  const double from = fit ? fit->fromStops - 1 : -8, to = fit ? fit->toStops + 1 : 8;
  double low = 0, high = 1, scatter = 0;
  if (!c->decode.curve.empty()) try {
      const NamedCurve curve = makeCurve(decodeOf(*c, document_.project().folder()).curve);
      std::vector<double> x, y;
      for (double s = from; s <= to; s += 0.1) {
        const double code = curve.curve->toCode(kMiddleGrey * std::exp2(s));
        if (std::isfinite(code) && code < 1.2) x.push_back(s), y.push_back(code);
      }
      plot_->addCurve("in use", t.quiet, x, y, false);
      if (fit) {
        int n = 0;
        for (size_t i = 0; i < fit->stops.size(); ++i) {
          const double light = curve.curve->toLinear(fit->code[i]);
          if (light <= 0) continue;
          const double off = std::log2(light / kMiddleGrey) - fit->stops[i];
          scatter += off * off, ++n;
        }
        scatter = std::sqrt(scatter / std::max(1, n));
      }
    } catch (const Error& e) {
      words_->setText(q(e.problem()));
    }
  if (fit) {
    plot_->addCurve("measured", t.accent, fit->stops, fit->code, false);
    auto* cells = residuals_->addCurve("cells", t.text, fit->cellStops, fit->residualStops);
    cells->setLineStyle(QCPGraph::lsNone);
    cells->setAdaptiveSampling(false);  // every cell counts, also where they lie close
    double most = 0.05;
    for (double r : fit->residualStops) most = std::max(most, std::abs(r));
    residuals_->setAxes("stops from grey", "left over, stops");
    residuals_->xAxis->setRange(from, to), residuals_->yAxis->setRange(-1.1 * most, 1.1 * most);
    words_->setText(
        QString("Measured from %1 cells over %2 stops: %3 stop rms are left over.%4")
            .arg(fit->cellsUsed)
            .arg(q(formatNumber(fit->toStops - fit->fromStops, 1)), q(formatNumber(fit->rmsStops, 3)),
                 c->decode.curve.empty() ? QString()
                                         : QString(" The curve in use differs from it by %1 stop rms.")
                                               .arg(q(formatNumber(scatter, 3)))));
  }
  plot_->setAxes("stops from grey", "code, 0 to 1 of its range");
  plot_->xAxis->setRange(from, to), plot_->yAxis->setRange(low, high);
  plot_->drawSoon(), residuals_->drawSoon();
}

}  // namespace edge::app
