#include "widgets/explain_panel.h"

namespace edge::app {

ExplainPanel::ExplainPanel(Document& document, const QString& firstKey, QWidget* parent)
    : QTextBrowser(parent), document_(document), key_(firstKey) {
  setAccessibleName("Where this number comes from");
  setPlaceholderText("Choose a number to see where it comes from.");
  setMinimumHeight(60);
}

void ExplainPanel::show(const QString& key) {
  key_ = key;
  refresh();
}

void ExplainPanel::refresh() {
  const Finding* f = document_.current();
  if (key_.isEmpty() || !f) return clear();
  const Explanation e = explain(*f, key_.toStdString(), document_.rangeOptions(), document_.criteria());
  QString html = "<p><b>" + QString::fromStdString(e.title).toHtmlEscaped() + "</b></p>";
  for (const auto& p : e.paragraphs) html += "<p>" + QString::fromStdString(p).toHtmlEscaped() + "</p>";
  setHtml(html);
}

}  // namespace edge::app
