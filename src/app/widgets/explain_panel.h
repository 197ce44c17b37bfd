// Where a number comes from, beside it.
#pragma once
#include <QTextBrowser>

#include "report/explain.h"
#include "shell/document.h"

namespace edge::app {

class ExplainPanel : public QTextBrowser {
  Q_OBJECT
 public:
  ExplainPanel(Document& document, const QString& firstKey, QWidget* parent = nullptr);
  void show(const QString& key);
  void refresh();
  [[nodiscard]] QString key() const { return key_; }
  // It scrolls: it takes what the rest leaves.
  [[nodiscard]] QSize sizeHint() const override { return QSize(280, 80); }

 private:
  Document& document_;
  QString key_;
};

}  // namespace edge::app
