#include "findings/scene_page.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QRandomGenerator>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <utility>

#include "base/numbers.h"
#include "findings/exercise_dialog.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"
#include "widgets/when_seen.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kLeftWidth = 400, kRowHeight = 46, kLeastRuler = 218;

}  // namespace

ScenePage::ScenePage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* contents = new QWidget(this);
  auto* columns = new QHBoxLayout(contents);
  columns->setContentsMargins(0, 0, 0, 0);
  columns->setSpacing(size::kMargin);
  form_ = new SceneForm(document, contents);
  form_->setFixedWidth(kLeftWidth);
  connect(form_, &SceneForm::failed, this, &ScenePage::failed);
  connect(form_, &SceneForm::done, this, &ScenePage::done);
  columns->addWidget(form_);
  columns->addLayout(buildAnswer(), 1);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &ScenePage::doorWanted);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(inviting_, 1);
  auto* seen = new WhenSeen(this, [this] { check(); });
  connect(&document, &Document::findingsChanged, seen, &WhenSeen::changed);
  connect(form_, &SceneForm::filled, this, [this] { byHand_ = false; });
  connect(form_, &SceneForm::changed, this, &ScenePage::check);
  check();
}

QLayout* ScenePage::buildAnswer() {
  auto* column = new QVBoxLayout;
  headline_ = new WrappedLabel(this);
  headline_->setObjectName("title");
  guess_ = new QPushButton("Guess first", this);
  guess_->setToolTip("an exercise: a simple scene, guessed at before it is worked out");
  connect(guess_, &QPushButton::clicked, this, &ScenePage::guessFirst);
  auto* head = new QHBoxLayout;
  head->addWidget(headline_, 1);
  head->addWidget(guess_, 0, Qt::AlignTop);
  ruler_ = new RulerWidget;
  ruler_->setRowHeight(kRowHeight);
  ruler_->setAccessibleName("The scene on every configuration");
  connect(ruler_, &RulerWidget::rowChosen, this, [this](int row) {
    if (result_ && row >= 0 && row < static_cast<int>(result_->configurations.size()))
      chooseConfiguration(result_->configurations[static_cast<size_t>(row)].reach.id);
  });
  scroll_ = new QScrollArea(this);
  scroll_->setWidget(ruler_);
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* line = new QHBoxLayout;
  chosenTitle_ = new QLabel(this);
  chosenTitle_->setObjectName("title");
  offset_ = new QDoubleSpinBox(this);
  offset_->setAccessibleName("Exposure against how it was tested, stops");
  offset_->setRange(-kOffsetReach, kOffsetReach);
  offset_->setSingleStep(kOffsetStep), offset_->setDecimals(2), offset_->setSuffix(" stops");
  connect(offset_, &QDoubleSpinBox::valueChanged, this, &ScenePage::setOffset);
  auto* best = new QPushButton("Best", this);
  best->setToolTip("the offset that was worked out");
  connect(best, &QPushButton::clicked, this, &ScenePage::check);
  line->addWidget(chosenTitle_, 1);
  line->addWidget(new QLabel("exposed", this));
  line->addWidget(offset_);
  line->addWidget(best);
  tones_ = new QTableWidget(0, 4, this);
  tones_->setAccessibleName("What every tone does on the chosen configuration");
  tones_->setHorizontalHeaderLabels({"Tone", "Stops", "State", "Room"});
  tones_->horizontalHeaderItem(3)->setToolTip(
      "stops to the nearest edge that would change the state, one standard error");
  tones_->verticalHeader()->hide();
  tones_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  tones_->setSelectionMode(QAbstractItemView::NoSelection);
  tones_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  tones_->setColumnWidth(1, 60), tones_->setColumnWidth(2, 116), tones_->setColumnWidth(3, 84);
  changes_ = new QTextBrowser(this);
  changes_->setAccessibleName("What would make it hold");
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(tones_, 1);
  lower->addWidget(changes_, 1);
  column->addLayout(head);
  column->addWidget(scroll_, 2);
  column->addLayout(line);
  column->addLayout(lower, 1);
  return column;
}

void ScenePage::setTheme(const Theme& t) {
  ruler_->setTheme(t);
  form_->setTheme(t);
}

void ScenePage::check() {
  const bool any = std::any_of(document_.findings().begin(), document_.findings().end(),
                               [](const Finding& f) { return f.latitude || f.range; });
  inviting_->invite(any ? std::nullopt : inviteFor(document_, Need::Bracket));
  if (form_->filling()) return;
  scene_ = form_->read();
  result_.reset();
  if (any && !scene_.readings.empty()) {
    const auto reaches = reachesOf(document_.findings());
    result_ = checkScene(scene_, reaches);
    if ((!byHand_ || !chosen()) && !result_->configurations.empty())
      configuration_ = result_->configurations[result_->recommended.value_or(0)].reach.id;
  }
  show();
}

SceneOn* ScenePage::chosen() {
  if (!result_) return nullptr;
  for (auto& c : result_->configurations)
    if (c.reach.id == configuration_) return &c;
  return nullptr;
}

void ScenePage::guessFirst() {
  const auto reaches = exercisable(reachesOf(document_.findings()));
  if (reaches.empty())
    return emit failed("no configuration is known well enough to guess on", "",
                       "measure a bracket with both its edges");
  auto* dialog =
      new ExerciseDialog(reaches, configuration_, score_, QRandomGenerator::global()->generate64(), this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  connect(dialog, &ExerciseDialog::scored, this, [this](const Score& total) {
    score_ = total;
    emit scored(total);
  });
  connect(dialog, &ExerciseDialog::sceneWanted, this, [this](const SceneReadings& s) { form_->fill(s); });
  dialog->open();
}

void ScenePage::chooseConfiguration(std::int64_t id) {
  configuration_ = id, byHand_ = true;
  show();
}

void ScenePage::setOffset(double stops) {
  SceneOn* on = chosen();
  if (!on) return;
  auto changes = std::move(on->changes);
  // Two decimals of the field stand for thirds.
  const double thirds = std::round(stops * 3) / 3;
  *on = sceneOn(scene_, on->reach, std::abs(thirds - stops) < 0.01 ? thirds : stops);
  on->changes = std::move(changes);
  show();
}

void ScenePage::show() {
  headline_->setText(
      result_ ? q(result_->reason)
              : "Type or paste what a spot meter finds: the brightest tone that must hold, faces, walls, "
                "the darkest corner.");
  showRuler();
  const SceneOn* on = chosen();
  for (QWidget* w : std::initializer_list<QWidget*>{tones_, changes_, chosenTitle_, offset_})
    w->setEnabled(on);
  {
    const QSignalBlocker quietly(offset_);
    offset_->setValue(on ? on->offset : 0);
  }
  QString title = "No configuration";
  if (on) {
    title = q(on->reach.label) + ", " + q(ratingWords(*on));
    if (on->aperture) title += ", T" + q(formatNumber(*on->aperture, 1)) + " in that light";
  }
  chosenTitle_->setText(title);
  showTones();
  showChanges();
}

void ScenePage::showRuler() {
  RulerData d;
  for (size_t i = 0; i < document_.findings().size(); ++i) {
    const Finding& f = document_.findings()[i];
    RulerRow row =
        fromGrey(latitudeRow(f, q(f.configuration.body + " · " + f.configuration.mode), "", false), f);
    row.note = "ISO " + q(formatNumber(f.configuration.iso, 0));
    if (result_ && i < result_->configurations.size()) {
      const SceneOn& on = result_->configurations[i];
      row.note += " → " + q(ratingWords(on));
      row.selected = on.reach.id == configuration_;
      for (size_t k = 0; k < on.readings.size(); ++k) {
        RulerMark m;
        m.at = scene_.readings[k].stops + on.offset;
        m.name = q(scene_.readings[k].name);
        m.words = m.name + " at " + q(formatSigned(m.at, 1)) + ": " +
                  (on.readings[k].state ? QString(wordOf(*on.readings[k].state)) : q(on.readings[k].why));
        row.marks.push_back(m);
      }
      std::sort(row.marks.begin(), row.marks.end(),
                [](const RulerMark& a, const RulerMark& b) { return a.at < b.at; });
    }
    d.rows.push_back(std::move(row));
  }
  ruler_->setData(d);
  ruler_->setFixedHeight(ruler_->sizeHint().height());
  scroll_->setMaximumHeight(ruler_->sizeHint().height() + 2);
  scroll_->setMinimumHeight(std::min(kLeastRuler, ruler_->sizeHint().height() + 2));
}

void ScenePage::showTones() {
  const SceneOn* on = chosen();
  tones_->setRowCount(on ? static_cast<int>(on->readings.size()) : 0);
  for (int i = 0; on && i < tones_->rowCount(); ++i) {
    const auto k = static_cast<size_t>(i);
    const Placed& p = on->readings[k];
    const QString state = p.state ? QString(wordOf(*p.state)) : "not known: " + q(p.why);
    const QString cells[] = {q(scene_.readings[k].name),
                             q(formatSigned(scene_.readings[k].stops + on->offset, 1)), state,
                             p.margin ? q(limitFigure(p.margin)) : ""};
    for (int c = 0; c < 4; ++c) {
      auto* item = new QTableWidgetItem(cells[c]);
      item->setToolTip(cells[c]);
      if (p.harms(scene_.readings[k].may)) {
        QFont heavy = tones_->font();
        heavy.setBold(true);
        item->setFont(heavy);
      }
      tones_->setItem(i, c, item);
    }
  }
}

void ScenePage::showChanges() {
  const SceneOn* on = chosen();
  if (!on) return changes_->clear();
  QString html;
  if (on->harm.none())
    html = "<p>Everything holds as asked. Nothing needs to be changed.</p>";
  else if (on->changes.empty())
    html =
        "<p>No change of light within three stops of exposure makes all of it hold here, or its edges are "
        "not "
        "known.</p>";
  else
    html = "<p><b>To make it hold</b>, least change first:</p>";
  if (!on->harm.none())
    for (const auto& c : on->changes) {
      QStringList steps;
      for (const auto& s : c.steps) steps << esc(s.words);
      html += "<p>" + steps.join("<br>") + "<br><span style='font-size:12px'>exposed " +
              (c.offset == 0 ? QString("as tested")
                             : esc(formatStops(c.offset)) + ", " +
                                   esc(ratingWords(sceneOn(scene_, on->reach, c.offset)))) +
              "</span></p>";
    }
  for (const auto& w : on->reach.warnings) html += "<p>" + esc(w.message) + "</p>";
  html +=
      "<p style='font-size:12px'>Hot lamps, gels and rigging: a licensed hand and the local code decide what "
      "is safe.</p>";
  changes_->setHtml(html);
}

std::vector<Command> ScenePage::commands() {
  const auto step = [this](double by) {
    if (const SceneOn* on = chosen()) setOffset(std::clamp(on->offset + by, -kOffsetReach, kOffsetReach));
  };
  return {{"Ctrl+V", "paste readings, one tone a line", [this] { form_->pasteLines(); }, {}},
          {"O", "readings from a file", [this] { form_->askFile(); }, {}},
          {"K", "keep the scene", [this] { form_->keep(); }, [this] { return form_->canKeep(); }},
          {"+", "a third more light", [step] { step(kOffsetStep); }, [this] { return chosen(); }},
          {"-", "a third less light", [step] { step(-kOffsetStep); }, [this] { return chosen(); }},
          {"G", "guess first: an exercise", [this] { guessFirst(); }, {}},
          {"B", "the best offset again", [this] { check(); }, [this] { return chosen(); }}};
}

}  // namespace edge::app
