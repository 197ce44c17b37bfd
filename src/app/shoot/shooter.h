// The shoot of the open project: which take is next, what is logged about it. Every call is committed at once
// and can be undone.
#pragma once
#include <QObject>
#include <optional>

#include "plan/planner.h"
#include "shoot/gate.h"
#include "shoot/prompt.h"

namespace edge::app {

class Shooter : public QObject {
  Q_OBJECT
 public:
  Shooter(Document& document, Planner& planner, QObject* parent = nullptr);

  [[nodiscard]] const Planned* planned() const { return planner_.planned(); }
  [[nodiscard]] const ShootLog& log() const { return document_.shootLog(); }
  [[nodiscard]] Document& document() { return document_; }
  // What is off at the take on the prompter and may stay with a reason, by code.
  [[nodiscard]] std::vector<GateItem> offHere() const;
  // What makes up for the key's light as it was read; empty: it is as planned.
  [[nodiscard]] std::vector<WayOut> waysOutHere() const;
  // Attempt on the slate: the one to be shot, or another that was asked for.
  [[nodiscard]] int attempt() const;
  void changeAttempt(int by);
  // The take on the prompter; nullopt: no plan.
  [[nodiscard]] std::optional<size_t> current() const { return current_; }
  [[nodiscard]] const Take* take() const;
  [[nodiscard]] bool allDone() const;
  [[nodiscard]] std::optional<Prompt> prompt() const;
  [[nodiscard]] std::vector<Judgement> judgements() const;
  [[nodiscard]] Gate gate(const std::string& body) const;
  void setClipWords(ClipWords words);

  void go(int step);  // through the plan, whatever was shot
  void goTo(size_t take);
  // On to the next open take. Throws UsageError where the settings can't be read; nothing is logged then.
  void done(const QString& settings);
  void adopt(const WayOut& way);  // what makes up for the light from here on, until it is shot again
  void stays(const QString& reason, const std::vector<std::string>& codes);
  void who(const QString& name);
  void redo(const QString& reason);  // of this take, or of the one shot last where this one is still open
  void skip(const QString& reason);
  void note(const QString& text);
  // "sharp to the corners | corner.jpg": what was seen at a guided check, and a file of it.
  void evidence(bool holds, const QString& text);
  struct Read {
    QString position, text;
  };
  // Of one press, one step. Throws UsageError where a reading makes no sense; nothing is logged then.
  void readings(const std::vector<Read>& list, bool spot, const QString& instrument);
  [[nodiscard]] QString meter() const;  // that readings are taken with
  void level(const QString& position, double value, const std::string& scale);
  void instrument(const QString& name, double offsetStops);

 signals:
  void changed();

 private:
  void follow();
  void append(const char* kind, const nlohmann::json& value, const QString& words);
  void toNextOpen();

  Document& document_;
  Planner& planner_;
  std::optional<size_t> current_;
  ClipWords clips_;
  int attemptsMore_ = 0;
};

}  // namespace edge::app
