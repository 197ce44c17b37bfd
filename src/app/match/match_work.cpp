#include "match/match_work.h"

#include <chrono>
#include <set>

#include "project/analysis.h"
#include "theme/text.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr std::chrono::milliseconds kHandedEvery(400);
constexpr int kSettleMs = 1500;  // a clip whose size is the same after this time is whole

const std::vector<CheckedTake>& takesOf(const std::shared_ptr<const Checked>& checked) {
  static const std::vector<CheckedTake> kNone;
  return checked ? *checked->takes : kNone;
}

}  // namespace

MatchWork::MatchWork(Document& document, Planner& planner, QObject* parent)
    : QObject(parent), document_(document), planner_(planner) {
  soon_.setSingleShot(true);
  connect(&soon_, &QTimer::timeout, this, &MatchWork::look);
  connect(&watcher_, &QFileSystemWatcher::directoryChanged, this, [this] { soon_.start(kSettleMs); });
  connect(&document_, &Document::opened, this, [this] {
    forget();
    job_.abandon();
    stored_ = document_.clipWordsAsRead();
    if (!watcher_.directories().isEmpty()) watcher_.removePaths(watcher_.directories());
    folder_.clear(), configurations_.clear(), words_.clear();
    shelf_ = std::make_shared<EvidenceShelf>();  // a bracket's pictures; an abandoned check ends with its own
    kept_ = true, again_ = false;
    emit changed();
    emit clipWords(storedWords());
  });
  // Charts placed or a decode state known: what could not be checked can be now.
  connect(&document_, &Document::setupChanged, this, [this] {
    stored_.reset();
    if (!facts_.empty()) check();
  });
  connect(&document_, &Document::linksChanged, this, [this] {
    stored_.reset();
    facts_.empty() ? emit clipWords(storedWords()) : rematch();
  });
  connect(&document_, &Document::logChanged, this, [this] {
    if (!facts_.empty()) rematch();
  });
  connect(&planner_, &Planner::planChanged, this, [this] {
    stored_.reset();
    facts_.empty() ? emit changed() : rematch();
  });
  connect(&job_, &Job::progress, this, [this](double, const QString& what) {
    words_ = what;
    emit changed();
  });
  connect(&job_, &Job::failed, this, &MatchWork::failed);
  connect(&job_, &Job::finished, this, [this] {
    words_.clear();
    if (planned() && document_.isOpen() && !facts_.empty()) noteKept(*planned());
    emit changed();
    if (again_) again_ = false, soon_.start(kSettleMs);
  });
}

// Links point into the clips: they go together.
void MatchWork::forget() {
  facts_.clear(), sizes_.clear(), match_ = {}, checked_.clear();
}

void MatchWork::watch(const fs::path& folder) {
  if (!watcher_.directories().isEmpty()) watcher_.removePaths(watcher_.directories());
  if (folder_ != folder) forget(), job_.abandon();
  folder_ = fs::absolute(folder).lexically_normal();
  std::error_code ec;
  if (!fs::exists(folder_, ec)) {
    // A card that was pulled out: its clips go, what was kept in the project stays.
    forget();
    emit changed();
    emit failed("the folder is gone", q(folder_.string()),
                "put the card back in, or choose another folder; kept links are safe");
    return;
  }
  watcher_.addPath(q(folder_.string()));
  for (fs::recursive_directory_iterator i(folder_, fs::directory_options::skip_permission_denied, ec);
       !ec && i != fs::recursive_directory_iterator(); i.increment(ec))
    if (std::error_code each; i->is_directory(each) && watcher_.directories().size() < 200)
      watcher_.addPath(q(i->path().string()));
  look();
}

// New clips and clips that changed are read; what is still growing is looked at again later.
void MatchWork::look() {
  if (folder_.empty() || !document_.isOpen()) return;
  if (std::error_code ec; !fs::exists(folder_, ec)) return watch(folder_);
  if (job_.running()) {
    again_ = true;
    return;
  }
  job_.start("reading clips", [this, folder = folder_, known = sizes_](const Progress& progress,
                                                                       const Job::Deliver& deliver) {
    const auto clips = clipsIn(folder);
    std::vector<fs::path> fresh;
    std::map<std::string, std::uintmax_t> sizes;
    bool growing = false;
    for (const auto& c : clips) {
      const std::uintmax_t bytes = bytesOf(c);
      const auto old = known.find(c.string());
      if (old != known.end() && old->second == bytes) {
        sizes[c.string()] = bytes;
        continue;
      }
      fresh.push_back(c);
    }
    // Handed over a few times a second: each time all is matched anew.
    auto read = std::make_shared<std::vector<ClipFacts>>();
    auto since = std::chrono::steady_clock::now();
    const auto hand = [&] {
      deliver([this, read] { take(*read); });
      read = std::make_shared<std::vector<ClipFacts>>();
      since = std::chrono::steady_clock::now();
    };
    size_t n = 0;
    for (const auto& c : fresh) {
      progress.report(static_cast<double>(n) / static_cast<double>(fresh.size()),
                      "reading " + c.filename().string() + ", " + std::to_string(n + 1) + " of " +
                          std::to_string(fresh.size()));
      ++n;
      const std::uintmax_t before = bytesOf(c);
      const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
      ClipFacts facts = readFacts(c, quiet);
      const std::uintmax_t after = bytesOf(c);
      if (before != after) {
        growing = true;
        facts.problem = "the clip is still being copied";
        facts.remedy = "wait; it is read when it is whole";
      } else {
        sizes[c.string()] = after;
      }
      read->push_back(std::move(facts));
      if (std::chrono::steady_clock::now() - since > kHandedEvery) hand();
    }
    if (!read->empty()) hand();
    deliver([this, sizes, clips, growing, fresh = !fresh.empty()] {
      sizes_ = sizes;
      // A card that was pulled out takes its clips along; what was linked stays in the project.
      dropElsewhere();
      std::erase_if(facts_, [here = std::set<fs::path>(clips.begin(), clips.end())](const ClipFacts& f) {
        return here.count(f.path) == 0;
      });
      std::sort(facts_.begin(), facts_.end(),
                [](const ClipFacts& a, const ClipFacts& b) { return a.path < b.path; });
      rematch();
      // What has just come may still be coming: looked at again until nothing changes.
      again_ = again_ || growing || fresh;
      QTimer::singleShot(0, this, &MatchWork::check);
    });
  });
}

// Clips that were read, new or anew.
void MatchWork::take(const std::vector<ClipFacts>& read) {
  std::map<fs::path, size_t> at;
  for (size_t i = 0; i < facts_.size(); ++i) at[facts_[i].path] = i;
  for (const auto& f : read)
    if (const auto known = at.find(f.path); known != at.end())
      facts_[known->second] = f;
    else
      facts_.push_back(f);
  rematch();
}

// Those known from the project alone: they are joined anew by every match.
void MatchWork::dropElsewhere() {
  std::erase_if(facts_, [](const ClipFacts& f) { return f.elsewhere; });
}

size_t MatchWork::keptElsewhere() const {
  return static_cast<size_t>(
      std::count_if(facts_.begin(), facts_.end(), [](const ClipFacts& f) { return f.elsewhere; }));
}

void MatchWork::rematch() {
  const Planned* p = planned();
  dropElsewhere();
  if (!p || !document_.isOpen()) {
    match_ = {};
    return emit changed();
  }
  std::vector<const Configuration*> kept;
  for (const auto& f : document_.findings()) kept.push_back(&f.configuration);
  if (!facts_.empty()) joinKept(facts_, kept, document_.project().folder());
  match_ = matchClips(p->recipe, p->plan, document_.shootLog(), document_.project().id(), facts_,
                      linksByHand(document_.project()));
  for (const auto& checked : checked_)
    noteExposures(p->plan, match_, document_.project().folder(), takesOf(checked), facts_);
  if (!job_.running()) noteKept(*p);  // clip by clip it would cost more than the matching
  checkExposures(p->plan, facts_, match_);
  tell();
  emit changed();
}

// Not what was last done, but what stands in the project says whether the links are kept.
void MatchWork::noteKept(const Planned& p) {
  try {
    kept_ = linksStand(document_.project(),
                       linkedConfigurations(document_.project(), p.recipe, p.plan, facts_, match_));
  } catch (const Error&) {
    kept_ = false;  // said where the clips are checked
  }
}

// Exposure and all else that needs pictures, configuration by configuration.
void MatchWork::check() {
  const Planned* p = planned();
  if (!p || facts_.empty()) return;
  if (job_.running()) {
    QTimer::singleShot(100, this, &MatchWork::check);
    return;
  }
  try {
    configurations_ = linkedConfigurations(document_.project(), p->recipe, p->plan, facts_, match_);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
    return;
  }
  checked_.assign(configurations_.size(), {});
  for (auto& f : facts_) f.measured.reset();
  std::set<std::string> touched;
  for (const auto& l : match_.links)
    if (l.take && !facts_[l.clip].elsewhere) touched.insert(p->plan.takes[*l.take].slate);
  struct Work {
    size_t index;
    Configuration configuration;
    std::string inputHash;
  };
  std::vector<Work> list;
  for (size_t i = 0; i < configurations_.size(); ++i) {
    const Configuration& c = configurations_[i];
    std::string inputHash = checksInputHash(document_.project(), c);
    if (auto stored = storedChecks(document_.project(), c, inputHash)) {
      // It stands in the project: there is nothing to write.
      checked_[i] = std::make_shared<const Checked>(Checked{std::move(inputHash), std::move(stored), ""});
      noteExposures(p->plan, match_, document_.project().folder(), *checked_[i]->takes, facts_);
      continue;
    }
    if (std::any_of(c.clips.begin(), c.clips.end(),
                    [&](const ClipRecord& r) { return touched.count(r.slate) > 0; }))
      list.push_back({i, c, std::move(inputHash)});
  }
  job_.start("checking takes", [this, list, shelf = shelf_, folder = document_.project().folder(),
                                recipe = p->recipe,
                                plan = p->plan](const Progress& progress, const Job::Deliver& deliver) {
    for (const auto& w : list) {
      auto takes = checkConfiguration(w.configuration, folder, recipe, plan, progress, shelf.get());
      auto done = takes.empty() ? nullptr : writtenOut(w.inputHash, std::move(takes));
      deliver([this, done, index = w.index] {
        if (index < checked_.size()) checked_[index] = done;
        rematch();
      });
    }
  });
}

const CheckedTake* MatchWork::checksOf(const std::string& slate) const {
  for (const auto& c : checked_)
    for (const auto& t : takesOf(c))
      if (t.slate == slate) return &t;
  return nullptr;
}

int MatchWork::troubles() const {
  int n = 0;
  for (const auto& l : match_.links) n += !l.trouble.empty();
  for (const auto& c : checked_)
    for (const auto& t : takesOf(c))
      n += std::any_of(t.checks.begin(), t.checks.end(), [](const TakeCheck& x) { return !x.pass; });
  return n;
}

void MatchWork::link(size_t clip, const std::string& slate) {
  link({{clip, slate}}, slate.empty() ? "a clip that is no take" : q("linked by hand: " + slate));
}

void MatchWork::link(const std::vector<std::pair<size_t, std::string>>& clips, const QString& words) {
  auto links = nlohmann::json::object();
  if (const auto d = document_.project().decision(0, "", kByHandKey); d && d->value.is_object())
    links = d->value;
  for (const auto& [clip, slate] : clips)
    links[fs::relative(facts_[clip].path, document_.project().folder()).generic_string()] = slate;
  document_.setByHand(links, words);
  QTimer::singleShot(0, this, &MatchWork::check);
}

void MatchWork::unlink(size_t clip) {
  const auto d = document_.project().decision(0, "", kByHandKey);
  if (!d || !d->value.is_object()) return;
  auto links = d->value;
  links.erase(fs::relative(facts_[clip].path, document_.project().folder()).generic_string());
  document_.setByHand(links, "the word of the hand taken back");
  QTimer::singleShot(0, this, &MatchWork::check);
}

void MatchWork::keep() {
  if (facts_.empty() || !planned()) return;
  try {
    auto configurations =
        linkedConfigurations(document_.project(), planned()->recipe, planned()->plan, facts_, match_);
    document_.setLinks(std::move(configurations), checked_);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

const ClipWords& MatchWork::storedWords() {
  if (!stored_) stored_ = clipWordsOf(document_.project());
  return *stored_;
}

// What the gate wants to know.
void MatchWork::tell() {
  ClipWords words = storedWords();
  for (const auto& l : match_.links) {
    if (!l.take || l.superseded) continue;
    ClipWord w{facts_[l.clip].path.filename().string(), {}, false};
    if (!l.trouble.empty()) w.troubles.push_back({"link", l.trouble});
    if (const auto* checked = checksOf(planned()->plan.takes[*l.take].slate)) {
      w.checked = true;
      for (const auto& c : checked->checks)
        if (!c.pass && c.code != "exposure") w.troubles.push_back({c.code, c.words});
    }
    words[planned()->plan.takes[*l.take].slate] = w;
  }
  emit clipWords(words);
}

}  // namespace edge::app
