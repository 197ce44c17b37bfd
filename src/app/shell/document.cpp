#include "shell/document.h"

#include "base/numbers.h"
#include "base/parallel.h"
#include "plan/recipe.h"
#include "project/result_kinds.h"
#include "report/protocols.h"
#include "shell/document_commands.h"

namespace edge::app {

namespace {

// What noise takes from the clips and what the cards take from noise.
void shareWithNoise(Document::Opened& o) {
  for (auto& n : o.noise) {
    n.clips.clear();
    n.bracket.reset();
    for (const auto& f : o.findings) {
      if (!n.subject.holds(f.configuration)) continue;
      if (f.range && f.range->aboveGrey) n.clips.emplace_back(f.configuration.iso, *f.range->aboveGrey);
      if (n.bracket || !f.latitudeMeasure) continue;
      n.bracket = f.latitudeMeasure;
      n.bracketIso = f.configuration.iso;
    }
  }
  addNoise(o.findings, o.noise);
}

void collectNoiseOf(Document::Opened& o) {
  o.noise = collectNoise(*o.project);
  shareWithNoise(o);
}

void collect(Document::Opened& o) {
  o.rangeOptions = rangeOptionsOf(*o.project);
  o.criteria = criteriaOf(*o.project);
  o.findings = collectFindings(*o.project);
  collectNoiseOf(o);
}

// Their rows are written anew, with new ids, each time the links are kept.
bool sameClips(const Configuration& a, const Configuration& b) {
  return std::equal(a.clips.begin(), a.clips.end(), b.clips.begin(), b.clips.end(),
                    [](ClipRecord x, const ClipRecord& y) {
                      x.id = y.id;
                      return x == y;
                    });
}

void analyse(const std::vector<Finding*>& list, const RangeOptions& options) {
  parallelFor(static_cast<int>(list.size()),
              [&](int i) { analyseRanges(*list[static_cast<size_t>(i)], options); });
}

}  // namespace

Document::Document(QObject* parent) : QObject(parent) {}

Document::Opened Document::read(const std::filesystem::path& file) {
  Opened opened;
  opened.project = Project::open(file);
  collect(opened);
  opened.clipWords = clipWordsOf(*opened.project);
  return opened;
}

void Document::open(Opened read) {
  undo_.clear();
  now_ = std::move(read);
  current_ = 0;
  emit left();
  emit findingsChanged();
  readPlan();
  readLog();
  emit opened();
}

void Document::create(const std::filesystem::path& file, const QString& title) {
  { const auto project = Project::create(file, title.toStdString()); }
  open(file);
}

const Finding* Document::current() const {
  return current_ >= 0 && current_ < static_cast<int>(now_.findings.size())
             ? &now_.findings[static_cast<size_t>(current_)]
             : nullptr;
}

void Document::setCurrent(int index) {
  if (index == current_ || index < 0 || index >= static_cast<int>(now_.findings.size())) return;
  current_ = index;
  emit currentChanged();
}

void Document::setHeadlineSnr(double snr) {
  push({0, "", kHeadlineSnrKey, snr, ""},
       QString("headline at SNR %1").arg(QString::fromStdString(formatNumber(snr, 1))));
}

void Document::setClaim(std::optional<double> stops) {
  if (!current() || current()->claimStops == stops) return;
  push({current()->configuration.id, "", kClaimKey, stops ? nlohmann::json(*stops) : nlohmann::json(), ""},
       stops ? QString("claim of %1 stops").arg(QString::fromStdString(formatNumber(*stops, 1)))
             : "claim taken out");
}

void Document::setOwnCount(std::optional<int> steps) {
  if (!current() || current()->ownCount == steps) return;
  push({current()->configuration.id, "", kOwnCountKey, steps ? nlohmann::json(*steps) : nlohmann::json(), ""},
       steps ? QString("%1 steps counted").arg(*steps) : "own count taken out");
}

void Document::setDeliveryRaster(std::optional<Raster> raster) {
  push({0, "", kRasterKey, raster ? nlohmann::json{raster->width, raster->height} : nlohmann::json(), ""},
       raster ? QString("delivery raster %1 x %2").arg(raster->width).arg(raster->height)
              : "no delivery raster");
}

void Document::setLook(const std::filesystem::path& file) {
  push({0, "", kLookKey, file.empty() ? nlohmann::json() : nlohmann::json(file.string()), ""},
       file.empty() ? QString("no look")
                    : QString("look %1").arg(QString::fromStdString(file.filename().string())));
}

void Document::overrideVerdict(const std::string& take, std::optional<Verdict> verdict,
                               const std::string& reason) {
  if (!current()) return;
  const nlohmann::json value = verdict ? nlohmann::json(wordOf(*verdict)) : nlohmann::json();
  const QString words = verdict ? QString("%1 judged %2").arg(QString::fromStdString(take), wordOf(*verdict))
                                : QString("own verdict on %1 taken back").arg(QString::fromStdString(take));
  push({current()->configuration.id, take, kOverrideKey, value, reason}, words);
}

void Document::setCriteria(const CriteriaProfile& profile, const QString& words) {
  push({0, "", kCriteriaKey, toJson(profile), ""}, words);
}

void Document::setRecipe(const nlohmann::json& recipe, const QString& words) {
  if (recipe != recipe_) push({0, "", kRecipeKey, recipe, ""}, words);
}

void Document::setChecklist(const nlohmann::json& ticked, const QString& words) {
  push({0, "", kChecklistKey, ticked, ""}, words);
}

std::vector<SceneReadings> Document::scenes() const {
  std::vector<SceneReadings> out;
  if (!now_.project) return out;
  const auto d = now_.project->decision(0, "", kScenesKey);
  if (!d || !d->value.is_array()) return out;
  for (const auto& j : d->value) try {
      out.push_back(readingsFromJson(j, now_.project->file().string()));
    } catch (const Error&) {
      continue;
    }
  return out;
}

void Document::setScenes(const std::vector<SceneReadings>& scenes, const QString& words) {
  nlohmann::json list = nlohmann::json::array();
  for (const auto& s : scenes) list.push_back(toJson(s));
  push({0, "", kScenesKey, list, ""}, words);
}

void Document::setContext(const Context& context, const QString& words) {
  push({0, "", kContextKey, context.empty() ? nlohmann::json() : context.toJson(), ""}, words);
}

OverruledBySituation Document::overruled() const {
  const auto d = now_.project ? now_.project->decision(0, "", kSituationsKey) : std::nullopt;
  return d ? overruledFrom(d->value) : OverruledBySituation{};
}

void Document::setOverruled(const OverruledBySituation& overruled, const QString& words) {
  push({0, "", kSituationsKey, toJson(overruled), ""}, words);
}

void Document::appendLog(std::vector<LogEntry> entries, const QString& words) {
  if (!entries.empty()) undo_.push(new LogCommand(*this, std::move(entries), words));
}

void Document::readLog() {
  logEntries_ = now_.project->log();
  log_ = foldLog(logEntries_);
  emit logChanged();
}

void Document::setLinks(std::vector<Configuration> configurations,
                        std::vector<std::shared_ptr<const Checked>> checks) {
  undo_.push(new LinksCommand(*this, std::move(configurations), std::move(checks)));
}

void Document::setByHand(const nlohmann::json& links, const QString& words) {
  push({0, "", kByHandKey, links, ""}, words);
}

void Document::setSetups(std::vector<Configuration> configurations, const QString& words) {
  undo_.push(new SetupCommand(*this, std::move(configurations), words));
}

void Document::previewHeadlineSnr(double snr) {
  now_.rangeOptions.headlineSnr = snr;
  reanalyse();
}

std::vector<std::pair<std::string, nlohmann::json>> Document::reviews() const {
  std::vector<std::pair<std::string, nlohmann::json>> out;
  if (!now_.project) return out;
  for (const auto& d : now_.project->decisions())
    if (d.configuration == 0 && d.key.rfind(kReviewKey, 0) == 0 && !d.value.is_null())
      out.emplace_back(d.key, d.value);
  return out;
}

void Document::keepReview(const std::string& key, const nlohmann::json& session) {
  now_.project->setDecision({0, "", key, session, ""});
  emit reviewsChanged();
}

void Document::storeResult(std::int64_t configuration, const std::string& kind, const std::string& inputHash,
                           const nlohmann::json& value) {
  now_.project->storeResult(configuration, kind, inputHash, value);
  // Only what it belongs to: results come faster than all of them could be read again.
  for (auto& f : now_.findings) {
    if (f.configuration.id != configuration) continue;
    Finding now = collectFinding(*now_.project, f.configuration);
    const bool stands = !isOfRange(kind) && now.wedge.has_value() == f.wedge.has_value() &&
                        now.black.has_value() == f.black.has_value() &&
                        now.rasterWedge.has_value() == f.rasterWedge.has_value();
    if (stands)
      now.range = std::move(f.range), now.rasterRange = std::move(f.rasterRange);
    else
      analyseRanges(now, now_.rangeOptions);
    f = std::move(now);
  }
  markProtocols(now_.findings);
  if (isOfClips(kind))
    shareWithNoise(now_);
  else
    refreshNoise();
  emit findingsChanged();
}

void Document::push(const Decision& after, const QString& words) {
  const auto stored = now_.project->decision(after.configuration, after.take, after.key);
  const Decision before = stored.value_or(Decision{after.configuration, after.take, after.key, nullptr, ""});
  undo_.push(new DecisionCommand(*this, before, after, words));
}

void Document::apply(const Decision& decision) {
  now_.project->setDecision(decision);
  // What was planned changes nothing that was measured.
  if (decision.key == kByHandKey)
    emit linksChanged();
  else if (decision.key == kScenesKey || decision.key == kSituationsKey)
    emit scenesChanged();
  else if (decision.key == kContextKey)
    emit contextChanged();
  else if (decision.key == kRecipeKey || decision.key == kChecklistKey)
    readPlan();
  else if (decision.key == kOverrideKey || decision.key == kCriteriaKey || decision.key == kClaimKey ||
           decision.key == kOwnCountKey)
    judgeAgain(decision.key == kCriteriaKey);
  else if (decision.key == kHeadlineSnrKey)
    countAgain();
  else
    refresh();
}

void Document::readPlan() {
  const auto recipe = now_.project->decision(0, "", kRecipeKey),
             ticked = now_.project->decision(0, "", kChecklistKey);
  recipe_ = recipe ? recipe->value : emptyRecipe();
  checklist_ = ticked ? ticked->value : nlohmann::json::object();
  const double base = baseOffsetOf(*now_.project);
  bool moved = false;
  for (auto& f : now_.findings) {
    moved |= f.baseAboveGrey != base;
    f.baseAboveGrey = base;
  }
  for (auto& n : now_.noise) {
    auto published = publishedNatives(*now_.project, n.subject.setup.body);
    moved |= published != n.published;
    n.published = std::move(published);
  }
  if (moved) emit findingsChanged();
  emit recipeChanged();
}

void Document::refresh() {
  collect(now_);
  emit findingsChanged();
}

// What was read of configurations with the same clips as before stands.
void Document::relink() {
  auto configurations = now_.project->configurations();
  std::vector<Finding> list(configurations.size());
  std::vector<Finding*> standing(list.size()), anew;
  for (size_t i = 0; i < list.size(); ++i) {
    const auto old = std::find_if(now_.findings.begin(), now_.findings.end(), [&](const Finding& f) {
      return f.configuration.id == configurations[i].id && sameClips(f.configuration, configurations[i]);
    });
    if (old != now_.findings.end()) {
      standing[i] = &*old;
      continue;
    }
    list[i] = collectFinding(*now_.project, configurations[i]);
    anew.push_back(&list[i]);
  }
  analyse(anew, now_.rangeOptions);
  for (size_t i = 0; i < list.size(); ++i)
    if (standing[i]) {
      list[i] = std::move(*standing[i]);
      list[i].configuration = std::move(configurations[i]);
    }
  const bool allStand = anew.empty() && list.size() == now_.findings.size();
  now_.findings = std::move(list);
  markProtocols(now_.findings);
  if (allStand)
    shareWithNoise(now_);
  else
    refreshNoise();
  emit findingsChanged();
  emit linksChanged();
}

// By the project's own options; what was read of the clips stands.
void Document::countAgain() {
  now_.rangeOptions = rangeOptionsOf(*now_.project);
  analyseRanges(now_.findings, now_.rangeOptions);
  shareWithNoise(now_);
  emit findingsChanged();
}

void Document::readAgain(const std::vector<Configuration>& changed) {
  std::vector<Finding*> anew;
  for (auto& f : now_.findings)
    for (const auto& c : changed)
      if (f.configuration.id == c.id) {
        f = collectFinding(*now_.project, c);
        anew.push_back(&f);
      }
  analyse(anew, now_.rangeOptions);
  markProtocols(now_.findings);
  refreshNoise();
  emit findingsChanged();
}

void Document::judgeAgain(bool byOtherCriteria) {
  now_.criteria = criteriaOf(*now_.project);
  for (auto& f : now_.findings) decideAgain(*now_.project, f);
  if (byOtherCriteria) refreshNoise();
  emit findingsChanged();
}

void Document::refreshNoise() {
  collectNoiseOf(now_);
}

void Document::reanalyse() {
  // While a line is dragged only what is looked at follows; the rest comes with the drop.
  if (current_ >= 0 && current_ < static_cast<int>(now_.findings.size()))
    analyseRanges(now_.findings[static_cast<size_t>(current_)], now_.rangeOptions);
  emit findingsChanged();
}

}  // namespace edge::app
