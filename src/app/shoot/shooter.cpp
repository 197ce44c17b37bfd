#include "shoot/shooter.h"

#include "shoot/actual.h"

namespace edge::app {

Shooter::Shooter(Document& document, Planner& planner, QObject* parent)
    : QObject(parent), document_(document), planner_(planner) {
  connect(&document_, &Document::opened, this, [this] {
    current_.reset();
    clips_.clear();
  });
  connect(&document_, &Document::logChanged, this, &Shooter::changed);
  connect(&planner_, &Planner::planChanged, this, [this] {
    follow();
    emit changed();
  });
}

const Take* Shooter::take() const {
  return planned() && current_ && *current_ < planned()->plan.takes.size() ? &planned()->plan.takes[*current_]
                                                                           : nullptr;
}

// A plan that was made anew: the first take still open, or the one that was on the prompter.
void Shooter::follow() {
  if (!planned() || planned()->plan.takes.empty()) return current_.reset();
  if (current_ && *current_ < planned()->plan.takes.size()) return;
  current_ = nextOpen(planned()->plan, log()).value_or(planned()->plan.takes.size() - 1);
}

bool Shooter::allDone() const {
  return planned() && !planned()->plan.takes.empty() && !nextOpen(planned()->plan, log());
}

std::optional<Prompt> Shooter::prompt() const {
  if (!take()) return std::nullopt;
  return promptFor(planned()->recipe, planned()->plan, planned()->known, log(), *current_);
}

std::vector<Judgement> Shooter::judgements() const {
  if (!take()) return {};
  return judgeReadings(planned()->recipe, planned()->plan, planned()->known, log(), *current_);
}

Gate Shooter::gate(const std::string& body) const {
  if (!planned()) return {};
  return gateOf(planned()->recipe, planned()->plan, planned()->known, log(), clips_, body);
}

void Shooter::setClipWords(ClipWords words) {
  if (words == clips_) return;
  clips_ = std::move(words);
  emit changed();
}

void Shooter::go(int step) {
  if (!take()) return;
  const auto count = static_cast<int>(planned()->plan.takes.size());
  goTo(static_cast<size_t>(std::clamp(static_cast<int>(*current_) + step, 0, count - 1)));
}

void Shooter::goTo(size_t take) {
  if (!planned() || take >= planned()->plan.takes.size()) return;
  current_ = take, attemptsMore_ = 0;
  emit changed();
}

void Shooter::append(const char* kind, const nlohmann::json& value, const QString& words) {
  document_.appendLog({{0, "", take()->slate, kind, value}},
                      words + ": " + QString::fromStdString(take()->slate));
}

void Shooter::toNextOpen() {
  if (const auto next = nextOpen(planned()->plan, log(), *current_)) current_ = next, attemptsMore_ = 0;
}

void Shooter::done(const QString& settings) {
  if (!take()) return;
  if (!settings.isEmpty())
    (void)actualTake(planned()->recipe, planned()->plan, *take(), settings.toStdString());
  {
    const QSignalBlocker once(this);  // the entry and the way on are told as one
    append("done",
           {{"settings", settings.isEmpty() ? nlohmann::json() : nlohmann::json(settings.toStdString())}},
           "shot");
  }
  toNextOpen();
  emit changed();
}

void Shooter::redo(const QString& reason) {
  if (!take()) return;
  if (log().of(take()->slate).state == TakeState::Open && !log().lastDone.empty())
    for (size_t i = 0; i < planned()->plan.takes.size(); ++i)
      if (planned()->plan.takes[i].slate == log().lastDone) current_ = i;
  append("redo", {{"reason", reason.toStdString()}}, "to be shot again");
}

void Shooter::adopt(const WayOut& way) {
  if (take())
    append("adopt", {{"settings", way.settings}, {"text", way.words}}, QString::fromStdString(way.words));
}

void Shooter::stays(const QString& reason, const std::vector<std::string>& codes) {
  if (reason.isEmpty()) throw UsageError("a reason is needed", "", "", "say why it may stay");
  if (take() && !codes.empty())
    append("stays", {{"codes", codes}, {"reason", reason.toStdString()}}, "it may stay");
}

void Shooter::who(const QString& name) {
  document_.appendLog({{0, "", "", "who", {{"name", name.toStdString()}}}}, name + " writes the log");
}

QString Shooter::meter() const {
  return log().instrument.empty() ? QString("meter") : QString::fromStdString(log().instrument);
}

std::vector<GateItem> Shooter::offHere() const {
  std::vector<GateItem> out;
  if (!take()) return out;
  // Of a take still to be shot its readings; the gate knows only what is in the can.
  if (log().of(take()->slate).state == TakeState::Open) {
    for (const auto& j : judgements())
      if (j.standing != Standing::Pass)
        out.push_back({GateKind::Doubt, take()->slate, j.words, "", codeOf(j)});
    return out;
  }
  for (const auto& item : gate("").items)
    if (item.slate == take()->slate && !item.code.empty()) out.push_back(item);
  return out;
}

std::vector<WayOut> Shooter::waysOutHere() const {
  for (const auto& j : judgements())
    if (j.code == "light" && j.standing == Standing::Fail && j.position == "key")
      return waysOut(planned()->recipe, planned()->plan, *current_, j.off);
  return {};
}

int Shooter::attempt() const {
  return take() ? std::max(1, log().of(take()->slate).attempt + attemptsMore_) : 1;
}

void Shooter::changeAttempt(int by) {
  if (!take() || attempt() + by < 1) return;
  attemptsMore_ += by;
  emit changed();
}

void Shooter::skip(const QString& reason) {
  if (!take()) return;
  {
    const QSignalBlocker once(this);
    append("skip", {{"reason", reason.toStdString()}}, "skipped");
  }
  toNextOpen();
  emit changed();
}

void Shooter::note(const QString& text) {
  if (take()) append("note", {{"text", text.toStdString()}}, "note");
}

void Shooter::evidence(bool holds, const QString& text) {
  if (!take()) return;
  const QString seen = text.section('|', 0, 0).trimmed(), file = text.section('|', 1).trimmed();
  if (seen.isEmpty())
    throw UsageError("nothing was said of what was seen", "", "",
                     "type a few words, e.g. sharp to the corners");
  std::error_code ec;
  if (!file.isEmpty() && !std::filesystem::is_regular_file(file.toStdString(), ec))
    throw UsageError("there is no such file: " + file.toStdString(), "", "",
                     "type its whole path after the |");
  append("evidence", {{"holds", holds}, {"text", seen.toStdString()}, {"file", file.toStdString()}},
         "what was seen");
}

void Shooter::readings(const std::vector<Read>& list, bool spot, const QString& instrument) {
  if (!take()) return;
  std::vector<LogEntry> entries;
  QStringList words;
  for (const auto& [position, text] : list) {
    words << position + " " + QString::fromStdString(readReading(text.toStdString()).understood);
    entries.push_back({0,
                       "",
                       take()->slate,
                       "reading",
                       {{"position", position.toStdString()},
                        {"text", text.toStdString()},
                        {"spot", spot},
                        {"instrument", instrument.toStdString()}}});
  }
  const QString said = words.size() == 1 ? words[0] : QString("%1 readings").arg(words.size());
  document_.appendLog(std::move(entries), said + ": " + QString::fromStdString(take()->slate));
}

void Shooter::level(const QString& position, double value, const std::string& scale) {
  if (take())
    append("level", {{"position", position.toStdString()}, {"value", value}, {"scale", scale}},
           position + " level");
}

void Shooter::instrument(const QString& name, double offsetStops) {
  document_.appendLog(
      {{0, "", "", "instrument", {{"name", name.toStdString()}, {"offset_stops", offsetStops}}}},
      "meter " + name);
}

}  // namespace edge::app
