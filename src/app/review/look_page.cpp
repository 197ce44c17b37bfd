#include "review/look_page.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/error.h"
#include "base/parallel.h"
#include "report/review_words.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr int kCropWidth = 960, kCropHeight = 540;  // pixels that play
constexpr std::int64_t kMostFrames = 24;
constexpr int kLift = 3;              // stops
constexpr int kGains[] = {1, 4, 16};  // of the difference

QImage imageOf(const Picture& p) {
  return QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888).copy();
}

QPushButton* button(const QString& words, const QString& tip, QWidget* parent) {
  auto* b = new QPushButton(words, parent);
  b->setToolTip(tip);
  return b;
}

}  // namespace

LookPage::LookPage(QWidget* parent) : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGap);
  auto *chosen = new QHBoxLayout, *row = new QHBoxLayout;
  static const char* const kNames[] = {"First picture", "Second picture", "Third picture", "Fourth picture"};
  for (int i = 0; i < kSlots; ++i) {
    slots_[i] = new QComboBox(this);
    slots_[i]->setAccessibleName(kNames[i]);
    slots_[i]->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    slots_[i]->setMinimumContentsLength(12);
    connect(slots_[i], &QComboBox::activated, this, &LookPage::load);
    chosen->addWidget(slots_[i], 1);
  }
  way_ = button("", "side by side, divided by a line, in place of each other, difference", this);
  zoom_ = button("", "fitted, then real pixels at 100, 200, 300 %", this);
  lift_ = button("Lift shadows  L", "by three stops, for looking only; it is written on the picture", this);
  channel_ = button("", "all channels, or one as grey", this);
  play_ = button("Play  P", "the middle of each, at its speed, from memory", this);
  encoded_ = button("", "as a web or broadcast encode would show it; never judged", this);
  connect(encoded_, &QPushButton::clicked, this, &LookPage::turnEncode);
  megabits_ = new QDoubleSpinBox(this);
  megabits_->setAccessibleName("Bit rate of the encode");
  megabits_->setRange(0.1, 400), megabits_->setDecimals(1), megabits_->setSuffix(" Mb/s");
  megabits_->setKeyboardTracking(false);
  megabits_->hide();
  connect(megabits_, &QDoubleSpinBox::valueChanged, this, &LookPage::load);
  lift_->setCheckable(true), play_->setCheckable(true);
  words_ = new QLabel(this);
  words_->setObjectName("quiet");
  words_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  canvas_ = new LookCanvas(this);
  connect(canvas_, &LookCanvas::changed, this, &LookPage::say);
  connect(way_, &QPushButton::clicked, this, &LookPage::turnWay);
  connect(zoom_, &QPushButton::clicked, this, [this] { canvas_->setZoom((canvas_->zoom() + 1) % 4), say(); });
  connect(lift_, &QPushButton::toggled, this, [this](bool on) {
    liftStops_ = on ? kLift : 0;
    canvas_->setLift(liftStops_), say();
  });
  connect(channel_, &QPushButton::clicked, this, [this] {
    channelNow_ = channelNow_ == 2 ? -1 : channelNow_ + 1;
    canvas_->setChannel(channelNow_), say();
  });
  connect(play_, &QPushButton::toggled, this, &LookPage::setPlaying);
  auto* save = button("Export…  E", "what is seen, with what it is written on it", this);
  connect(save, &QPushButton::clicked, this, &LookPage::askExport);
  for (QWidget* w :
       std::initializer_list<QWidget*>{way_, zoom_, lift_, channel_, encoded_, megabits_, play_, save})
    row->addWidget(w);
  row->addWidget(words_, 1);
  column->addLayout(chosen);
  column->addLayout(row);
  column->addWidget(canvas_, 1);
  connect(&job_, &Job::failed, this,
          [this](const QString& problem, const QString& where, const QString& remedy) {
            trouble_ = QStringList{problem, where, remedy}.join("\n");
            refreshPanes();
          });
  connect(&playJob_, &Job::failed, this, &LookPage::failed);
  connect(&timer_, &QTimer::timeout, this, &LookPage::showFrame);
  timer_.setTimerType(Qt::PreciseTimer);
  say();
}

void LookPage::setTheme(const Theme& theme) {
  canvas_->setTheme(theme);
}

const Shown* LookPage::shownIn(int slot) const {
  const std::string key = slots_[slot]->currentData().toString().toStdString();
  for (const auto& s : pool_)
    if (s.key == key) return &s;
  return nullptr;
}

void LookPage::setPool(std::vector<Shown> pool) {
  const auto same = [](const Shown& a, const Shown& b) {
    return a.key == b.key && a.name == b.name && a.group == b.group;
  };
  if (pool.size() == pool_.size() && std::equal(pool.begin(), pool.end(), pool_.begin(), same)) return;
  std::pair<QVariant, QString> before[kSlots];
  for (int i = 0; i < kSlots; ++i) before[i] = {slots_[i]->currentData(), slots_[i]->currentText()};
  pool_ = std::move(pool);
  // First of all the base and the darkest take that is brought back, of the first configuration.
  size_t base = pool_.size(), dark = pool_.size();
  for (size_t i = 0; i < pool_.size(); ++i) {
    if (pool_[i].group != pool_.front().group) break;
    if (pool_[i].kind == ShownKind::Base) base = i;
    if (pool_[i].kind == ShownKind::BroughtBack && dark == pool_.size()) dark = i;
  }
  for (int i = 0; i < kSlots; ++i) {
    const QSignalBlocker quietly(slots_[i]);
    slots_[i]->clear();
    slots_[i]->addItem(i < 2 ? "choose…" : "none", QString());
    for (const auto& s : pool_) slots_[i]->addItem(q(s.title()), q(s.key));
    int kept = before[i].first.isValid() ? slots_[i]->findData(before[i].first) : -1;
    if (kept < 0)
      kept = slots_[i]->findText(before[i].second);  // made otherwise, it is still what was chosen
    const size_t start = i == 0 ? base : i == 1 ? dark : pool_.size();
    slots_[i]->setCurrentIndex(kept > 0 ? kept : start < pool_.size() ? static_cast<int>(start) + 1 : 0);
  }
  load();
}

void LookPage::choose(int slot, const std::string& key) {
  slots_[slot]->setCurrentIndex(std::max(0, slots_[slot]->findData(q(key))));
  load();
}

// What is not there yet is rendered, all of it beside each other.
void LookPage::load() {
  setPlaying(false);
  trouble_.clear();
  std::vector<Shown> missing;
  for (int i = 0; i < kSlots; ++i)
    if (const Shown* s = shownIn(i); s && !store_.find(keyOf(*s))) missing.push_back(*s);
  refreshPanes();
  if (missing.empty()) return job_.cancel();
  std::vector<std::string> keys;
  for (const auto& s : missing) keys.push_back(keyOf(s));
  job_.start("pictures", [this, missing, keys, encode = encode_, megabits = megabits_->value()](
                             const Progress& progress, const Job::Deliver& deliver) {
    parallelFor(static_cast<int>(missing.size()), [&](int i) {
      const auto k = static_cast<size_t>(i);
      // Each its own: a job's progress is told by one at a time.
      const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
      double came = 0;
      auto picture =
          std::make_shared<const Picture>(encode ? renderEncoded(missing[k], *encode, megabits, &came, quiet)
                                                 : renderShown(missing[k], quiet));
      deliver([this, picture, key = keys[k], came] {
        store_.put(key, picture);
        came_[key] = came;
        refreshPanes();
      });
    });
  });
}

bool LookPage::loaded() const {
  return !canvas_->panes().empty() && std::none_of(canvas_->panes().begin(), canvas_->panes().end(),
                                                   [](const LookPane& p) { return p.image.isNull(); });
}

void LookPage::refreshPanes() {
  std::vector<LookPane> panes;
  for (int i = 0; i < kSlots; ++i) {
    const Shown* s = shownIn(i);
    if (!s) continue;
    LookPane p;
    p.caption = q(s->title());
    if (encode_)
      p.caption += QString(" · %1 encode, %2, %3 Mb/s: not judged")
                       .arg(specOf(*encode_).key, specOf(*encode_).words)
                       .arg(came_.count(keyOf(*s)) ? came_.at(keyOf(*s)) : megabits_->value(), 0, 'f', 1);
    if (const auto picture = store_.find(keyOf(*s)))
      p.image = imageOf(*picture);
    else
      p.message = trouble_.isEmpty() ? "on its way …" : trouble_;
    panes.push_back(std::move(p));
  }
  canvas_->setPanes(std::move(panes));
  say();
}

void LookPage::say() {
  way_->setText(wordOf(canvas_->way()) + "  W");
  zoom_->setText((canvas_->zoom() == 0 ? QString("fitted") : QString("%1 %").arg(100 * canvas_->zoom())) +
                 "  Z");
  static const char* const kChannels[] = {"all channels", "red", "green", "blue"};
  channel_->setText(QString(kChannels[channelNow_ + 1]) + "  C");
  encoded_->setText((encode_ ? QString("%1 encode").arg(specOf(*encode_).key) : QString("not encoded")) +
                    "  D");
  for (auto* slot : slots_) slot->setToolTip(slot->currentText());  // long names are cut in a narrow window
  QStringList words;
  const Shown* first = nullptr;
  bool equal = true;
  for (int i = 0; i < kSlots; ++i)
    if (const Shown* s = shownIn(i)) {
      if (!first) first = s;
      equal = equal && s->equalBrightness;
    }
  if (first) words << "display " + q(first->display) + " for all";
  if (first && !equal) words << "as shot: not of equal brightness";
  if (playing())
    words << QString("%1 of %2 frames a second%3")
                 .arg(rate_, 0, 'f', 1)
                 .arg(fps_, 0, 'f', 1)
                 .arg(rate_ > 0.98 * fps_ ? "" : ", not held");
  words_->setText(words.join(" · "));
  words_->setToolTip(words_->text() + "\n" + kScreenUnknown);
}

std::string LookPage::keyOf(const Shown& s) const {
  return encode_ ? s.key + "|" + specOf(*encode_).key + "|" + std::to_string(megabits_->value()) : s.key;
}

// As it is, after each encode, as it is.
void LookPage::turnEncode() {
  const size_t next = encode_ ? static_cast<size_t>(*encode_) + 1 : 0;
  encode_ = next < encodes().size() ? std::optional(encodes()[next].id) : std::nullopt;
  {
    const QSignalBlocker quietly(megabits_);
    if (encode_) megabits_->setValue(specOf(*encode_).megabits);
  }
  megabits_->setVisible(encode_.has_value());
  load();
  say();
}

void LookPage::turnWay() {
  canvas_->setWay(static_cast<LookWay>((static_cast<int>(canvas_->way()) + 1) % kLookWays));
  say();
}

// To the neighbour in the list that is of the same kind and group.
void LookPage::step(int by) {
  const Shown* s = shownIn(1);
  if (!s) return;
  const auto at = s - pool_.data();
  for (auto i = at + by; i >= 0 && i < static_cast<std::ptrdiff_t>(pool_.size()); i += by) {
    const Shown& other = pool_[static_cast<size_t>(i)];
    if (other.group == s->group && other.kind == s->kind) return choose(1, other.key);
  }
}

void LookPage::pinBase() {
  const Shown* s = shownIn(1);
  if (!s) return;
  for (const auto& other : pool_)
    if (other.group == s->group && other.kind == ShownKind::Base) return choose(0, other.key);
}

void LookPage::pinPreviousStep() {
  const Shown* s = shownIn(1);
  if (!s) return;
  const Shown* best = nullptr;  // the nearest on the side of the base
  for (const auto& other : pool_)
    if (other.group == s->group && other.kind == s->kind && other.stops * s->stops >= 0 &&
        std::abs(other.stops) < std::abs(s->stops) &&
        (!best || std::abs(other.stops) > std::abs(best->stops)))
      best = &other;
  best ? choose(0, best->key) : pinBase();
}

void LookPage::hideEvent(QHideEvent*) {
  setPlaying(false);
}

void LookPage::forget() {
  setPlaying(false);
  store_.clear();
}

void LookPage::setPlaying(bool on) {
  const QSignalBlocker quietly(play_);
  play_->setChecked(on);
  if (!on) {
    if (timer_.isActive() || playJob_.running()) {
      timer_.stop(), playJob_.cancel();
      if (!frames_.empty()) canvas_->setCentre(centreBefore_);
      frames_.clear();
      refreshPanes();
    }
    return;
  }
  loadFrames();
}

void LookPage::loadFrames() {
  std::vector<Shown> list;
  for (int i = 0; i < kSlots; ++i)
    if (const Shown* s = shownIn(i)) list.push_back(*s);
  const bool cleaned = std::any_of(list.begin(), list.end(), [](const Shown& s) { return s.cleanedBy; });
  // An encode and a cleaned picture are looked at standing.
  if (list.empty() || !loaded() || encode_ || cleaned) {
    setPlaying(false);
    if (encode_ || cleaned)
      words_->setText(encode_ ? "an encode stands still" : "a cleaned picture stands still");
    return;
  }
  if (canvas_->zoom() == 0) canvas_->setZoom(1);
  if (canvas_->way() == LookWay::Difference) canvas_->setWay(LookWay::Side);
  const QPointF centre = canvas_->centre();
  std::vector<QSize> sizes;
  for (const auto& p : canvas_->panes()) sizes.push_back(p.image.size());
  words_->setText("reading frames …");
  playJob_.start(
      "frames", [this, list, centre, sizes](const Progress& progress, const Job::Deliver& deliver) {
        auto frames = std::make_shared<std::vector<std::vector<QImage>>>();
        double fps = 24;
        for (size_t i = 0; i < list.size(); ++i) {
          const Shown& s = list[i];
          const Rect area{std::max(0, static_cast<int>(centre.x() * sizes[i].width()) - kCropWidth / 2),
                          std::max(0, static_cast<int>(centre.y() * sizes[i].height()) - kCropHeight / 2),
                          kCropWidth, kCropHeight};
          const std::int64_t count = s.window.count > 0 ? std::min(s.window.count, kMostFrames) : kMostFrames;
          auto& own = frames->emplace_back();
          for (const auto& f : renderFrames(s.clip, s.decode, {s.window.first, count}, area, s.correction,
                                            s.display, progress))
            own.push_back(imageOf(f));
          if (const double of = openClip(s.clip)->info().fps; i == 0 && of > 0) fps = of;
        }
        deliver([this, frames, fps] {
          if (!play_->isChecked() && !play_->isDown()) return;
          frames_ = std::move(*frames);
          fps_ = fps, frame_ = 0, sinceClock_ = 0, rate_ = fps;
          // The crop is the picture while it plays.
          centreBefore_ = canvas_->centre();
          canvas_->setCentre({0.5, 0.5});
          clock_.start();
          timer_.start(std::max(1, static_cast<int>(std::lround(1000 / fps))));
          showFrame();
        });
      });
}

void LookPage::showFrame() {
  std::vector<LookPane> panes = canvas_->panes();
  for (size_t i = 0; i < panes.size() && i < frames_.size(); ++i)
    if (!frames_[i].empty()) panes[i].image = frames_[i][static_cast<size_t>(frame_) % frames_[i].size()];
  canvas_->setPanes(std::move(panes));
  ++frame_, ++sinceClock_;
  if (clock_.elapsed() < 1000) return;
  rate_ = 1000.0 * sinceClock_ / static_cast<double>(clock_.restart());
  sinceClock_ = 0;
  say();
}

void LookPage::exportTo(const std::filesystem::path& file) {
  if (!canvas_->asSeen().save(q(file.string())))
    throw Error("the picture can't be written", file.string(), "",
                "choose another folder, and a name ending in .png");
}

void LookPage::askExport() {
  if (!loaded()) return;
  const QString file =
      QFileDialog::getSaveFileName(this, "Export what is seen", "review.png", "Pictures (*.png)", nullptr,
                                   QFileDialog::DontUseNativeDialog);
  if (file.isEmpty()) return;
  try {
    exportTo(file.toStdString());
    emit done("written: " + file);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

std::vector<Command> LookPage::commands() {
  const auto some = [this] { return loaded(); };
  const auto line = [this] { return canvas_->way() == LookWay::Divided; };
  return {
      {"W", "next way to compare: side by side, divided, in place, difference", [this] { turnWay(); }, {}},
      {"Z", "fitted, 100, 200, 300 %", [this] { canvas_->setZoom((canvas_->zoom() + 1) % 4), say(); }, {}},
      {"Space", "in place: the next picture",
       [this] { canvas_->setWay(LookWay::InPlace), canvas_->showNext(), say(); }, some},
      {"L", "lift the shadows, for looking only", [this] { lift_->toggle(); }, {}},
      {"C", "one channel after the other, as grey", [this] { channel_->click(); }, {}},
      {"D", "as a web, as a broadcast encode would show it, as it is", [this] { turnEncode(); }, {}},
      {"G",
       "difference: times 1, 4, 16",
       [this] {
         const auto* at = std::find(std::begin(kGains), std::end(kGains), gain_);
         gain_ = kGains[(at - std::begin(kGains) + 1) % static_cast<std::ptrdiff_t>(std::size(kGains))];
         canvas_->setGain(gain_);
       },
       {}},
      {"[", "turn the line", [this] { canvas_->turnLine(-15); }, line},
      {"]", "turn the line the other way", [this] { canvas_->turnLine(15); }, line},
      {",", "second picture: the step before", [this] { step(-1); }, some},
      {".", "second picture: the step after", [this] { step(1); }, some},
      {"B", "first picture: the base of the second", [this] { pinBase(); }, some},
      {"V", "first picture: the step before the second, towards the base", [this] { pinPreviousStep(); },
       some},
      {"P", "play the middle of each", [this] { play_->toggle(); }, some},
      {"I", "names on the pictures", [this] { canvas_->setCaptions(!canvas_->captions()); }, {}},
      {"E", "export what is seen\u2026", [this] { askExport(); }, some}};
}

}  // namespace edge::app
