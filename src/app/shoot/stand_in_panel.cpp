#include "shoot/stand_in_panel.h"

#include <QHBoxLayout>
#include <QRegularExpression>
#include <set>

#include "exposure/meter.h"
#include "plan/run_list.h"
#include "shoot/actual.h"
#include "shoot/judge.h"
#include "theme/text.h"

namespace edge::app {
namespace {

// Bodies the stand-ins can play. Read once: plans come with every keystroke.
const std::set<std::string>& playable() {
  static const std::set<std::string> names = [] {
    std::set<std::string> out;
    for (const auto& c : demoScenario(true).configurations) out.insert(c.camera.name);
    return out;
  }();
  return names;
}

constexpr Mistake kMistakes[] = {Mistake::WrongIris, Mistake::ForgottenNd, Mistake::LightDrift};

}  // namespace

StandInPanel::StandInPanel(Shooter& shooter, QWidget* parent) : QWidget(parent), shooter_(shooter) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  auto* title = new QLabel("Simulated set", this);
  title->setObjectName("title");
  words_ = new QLabel(this);
  words_->setObjectName("quiet");
  words_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  mistake_ = new QComboBox(this);
  mistake_->setAccessibleName("Mistake to make next");
  mistake_->addItem("no mistake");
  for (const Mistake m : kMistakes) mistake_->addItem(wordOf(m));
  connect(mistake_, &QComboBox::activated, this, [this](int i) {
    if (i > 0) inject(kMistakes[i - 1]);
  });
  row->addWidget(title);
  const auto add = [&](const char* text, void (StandInPanel::*slot)()) {
    auto* b = new QPushButton(text, this);
    b->setFocusPolicy(Qt::NoFocus);
    connect(b, &QPushButton::clicked, this, slot);
    row->addWidget(b);
  };
  add("Set as prompted  A", &StandInPanel::prepare);
  add("Read the meter  E", &StandInPanel::readMeter);
  add("Spot  U", &StandInPanel::readSpot);
  add("Roll  O", &StandInPanel::roll);
  mistake_->setFocusPolicy(Qt::ClickFocus);
  row->addWidget(mistake_);
  row->addWidget(words_, 1);
  connect(&job_, &Job::failed, this, &StandInPanel::failed);
  // What was rolling for another project is not logged in this one, and its set is struck.
  connect(&shooter_.document(), &Document::left, this, [this] {
    job_.abandon();
    set_.reset();
  });
}

std::filesystem::path StandInPanel::folder() const {
  return shooter_.document().project().folder() /
         (shooter_.document().project().file().stem().string() + "-card");
}

void StandInPanel::refresh() {
  available_ = false;
  if (const Planned* p = shooter_.planned()) {
    const auto& bodies = p->recipe.bodies;
    available_ = !bodies.empty() && std::all_of(bodies.begin(), bodies.end(), [](const BodySpec& b) {
      return playable().count(b.name) > 0;
    });
  }
  setVisible(available_);
}

bool StandInPanel::stand() {
  const Planned* p = shooter_.planned();
  if (!available_ || !p) return false;
  if (set_ && recipe_ == p->recipe.source) return true;
  recipe_ = p->recipe.source;
  // Of the scenario's two rasters the one that was planned, or every clip would be told to be of another.
  Scenario scenario = demoScenario(true);
  for (const auto& body : p->recipe.bodies)
    for (const auto& mode : body.modes)
      if (mode.width > scenario.width) scenario = demoScenario(false);
  set_ = std::make_shared<SimulatedSet>(scenario, p->recipe, folder());
  return true;
}

void StandInPanel::inject(Mistake m) {
  // While it rolls its hands are busy, in another thread.
  if (rolling()) {
    mistake_->setCurrentIndex(0);
    return say("it rolls: a mistake can be set when the clip is on the card");
  }
  if (stand()) set_->inject(m);
  say(QString("the next hand will err: %1").arg(wordOf(m)));
}

void StandInPanel::prepare() {
  if (!shooter_.take() || rolling() || !stand()) return;
  set_->prepare(shooter_.planned()->plan, *shooter_.take());
  mistake_->setCurrentIndex(0);
  saySettings();
}

// One line, whatever is said: the prompt above it must not move.
void StandInPanel::say(const QString& words) {
  words_->setToolTip(words);
  words_->setText(words_->fontMetrics().elidedText(words, Qt::ElideRight, words_->width()));
}

void StandInPanel::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  say(words_->toolTip());
}

void StandInPanel::saySettings() {
  const CameraSettings s = set_->settings();
  say(QString("%1 %2 ISO %3, T%4, ND %5, %6 · by hand: H")
          .arg(q(s.body), q(s.mode))
          .arg(s.iso)
          .arg(s.aperture.value(), 0, 'f', 1)
          .arg(s.nd.value(), 0, 'f', 1)
          .arg(s.cap ? "cap on" : "cap off"));
}

void StandInPanel::setByHand(const QString& text) {
  if (!shooter_.take() || rolling() || !stand()) return;
  const auto& recipe = shooter_.planned()->recipe;
  // Dimmers first: "Key 40%"; what is left is the camera's.
  QStringList camera;
  std::vector<std::pair<const LampSpec*, double>> lamps;
  static const QRegularExpression kDimmer("^(.*\\S)\\s+([0-9.]+)\\s*%$");
  for (const QString& part : text.split(',', Qt::SkipEmptyParts)) {
    const auto found = kDimmer.match(part.trimmed());
    if (!found.hasMatch()) {
      camera << part.trimmed();
      continue;
    }
    const auto lamp = std::find_if(recipe.lamps.begin(), recipe.lamps.end(), [&](const LampSpec& l) {
      return q(l.name).compare(found.captured(1), Qt::CaseInsensitive) == 0;
    });
    if (lamp == recipe.lamps.end())
      throw UsageError("no lamp is named \"" + found.captured(1).toStdString() + "\"", "", "",
                       "write a lamp of the plan, e.g. " +
                           (recipe.lamps.empty() ? std::string("Key") : recipe.lamps.front().name) + " 40%");
    lamps.emplace_back(&*lamp, found.captured(2).toDouble());
  }
  CameraSettings s = set_->settings();
  if (!camera.isEmpty()) {
    const auto said =
        actualTake(recipe, shooter_.planned()->plan, *shooter_.take(), camera.join(' ').toStdString());
    const TakeSettings& to = said.take.settings;
    if (said.iris) s.aperture = to.aperture;
    if (said.shutter) s.shutter = to.shutter;
    if (said.nd) s.nd = to.nd;
    if (said.iso) s.iso = to.isoName;
  }
  set_->set(s);
  for (const auto& [lamp, percent] : lamps) set_->setLamp(lamp->name, percent, set_->distance(lamp->name));
  saySettings();
}

void StandInPanel::readSpot() {
  if (!shooter_.take() || !stand()) return;
  logRead(
      [this](const std::string& position) -> QString {
        const auto luminance = set_->spotCdM2(position);
        return luminance ? QString("%1 cd/m\u00b2").arg(*luminance, 0, 'g', 4) : QString();
      },
      true, "simulated spot");
}

void StandInPanel::readMeter() {
  if (!shooter_.take() || !stand()) return;
  logRead(
      [this](const std::string& position) -> QString {
        const bool spot = position == "white" || position.rfind("face: ", 0) == 0;
        const auto lux = spot ? std::nullopt : set_->incident(position);
        return lux ? QString("%1 lux").arg(lux->value(), 0, 'g', 4) : QString();
      },
      false, "simulated meter");
}

// At every position of the take; what gives no text isn't read there.
void StandInPanel::logRead(const std::function<QString(const std::string& position)>& read, bool spot,
                           const QString& instrument) {
  std::vector<Shooter::Read> list;
  for (const auto& position :
       positionsFor(shooter_.planned()->recipe, shooter_.planned()->plan, *shooter_.current()))
    if (const QString text = read(position); !text.isEmpty()) list.push_back({q(position), text});
  shooter_.readings(list, spot, instrument);
  say(list.empty() ? QString("nothing to read here")
                   : counted(static_cast<int>(list.size()), "reading", "readings") + ", at the right");
}

void StandInPanel::roll() {
  if (!shooter_.take() || rolling() || !stand()) return;
  const auto symbol = qrOf(slateText(slateOf(shooter_.document().project().id(), *shooter_.take(),
                                             shooter_.log().of(shooter_.take()->slate).attempt)));
  say("rolling …");
  job_.start("rolling", [this, set = set_, symbol](const Progress& progress, const Job::Deliver& deliver) {
    const auto clip = set->roll(symbol, progress);
    deliver([this, clip] {
      say("on the card: " + q(clip.filename().string()));
      emit rolled(q(clip.string()));
    });
  });
}

}  // namespace edge::app
