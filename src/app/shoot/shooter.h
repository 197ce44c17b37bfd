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
  void done(const QString& settings);  // on to the next open take
  void redo(const QString& reason);    // of this take, or of the one shot last where this one is still open
  void skip(const QString& reason);
  void note(const QString& text);
  // Throws UsageError where the reading makes no sense; nothing is logged then.
  void reading(const QString& position, const QString& text, bool spot, const QString& instrument);
  void level(const QString& position, double value, const std::string& scale);
  void instrument(const QString& name, double offsetStops);

 signals:
  void changed();

 private:
  void follow();
  void append(const char* kind, const nlohmann::json& value, const QString& words);

  Document& document_;
  Planner& planner_;
  std::optional<size_t> current_;
  ClipWords clips_;
};

}  // namespace edge::app
