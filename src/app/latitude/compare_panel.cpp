#include "latitude/compare_panel.h"

#include <QHeaderView>

#include "theme/text.h"

namespace edge::app {
namespace {
constexpr int kRow = 22;
}

ComparePanel::ComparePanel(QWidget* parent) : QTableWidget(parent) {
  setObjectName("compare");
  setAccessibleName("Latitude by profile and branch");
  setEditTriggers(QAbstractItemView::NoEditTriggers);
  setSelectionMode(QAbstractItemView::SingleSelection);
  setShowGrid(false);
  verticalHeader()->hide();
  horizontalHeader()->setStretchLastSection(true);
  horizontalHeader()->setHighlightSections(false);
  verticalHeader()->setDefaultSectionSize(kRow);
  horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
}

void ComparePanel::show(const BracketView& view, const CriteriaProfile& own) {
  clear();
  std::vector<CriteriaProfile> profiles = {own};
  for (const auto& p : standardProfiles())
    if (p.name != own.name) profiles.push_back(p);
  QStringList head = {"Profile", "Noise judged at"};
  head << "Exposure"
       << "Balance"
       << "Grade"
       << "Log offset"
       << "Clean-up"
       << "Upper"
       << "Lower";
  setColumnCount(static_cast<int>(head.size()));
  setHorizontalHeaderLabels(head);
  setRowCount(view.finding ? static_cast<int>(profiles.size()) : 0);
  if (!view.finding) return;
  const LatitudeMeasure& m = view.measure();
  for (int r = 0; r < rowCount(); ++r) {
    const CriteriaProfile& p = profiles[static_cast<size_t>(r)];
    QStringList cells = {q(p.name), q(wordsOf(p.delivery.value_or(m.delivery)))};
    for (const auto& b : branches()) cells << q(limitFigure(judgeLatitude(m, p, {}, b.id).edges.latitude));
    const LatitudeResult result = restated(judgeLatitude(m, p, {}, view.branch), view.base.stops);
    cells << q(limitFigure(judgeLatitude(m, p, {}).cleaned.latitude))
          << q(limitFigure(result.edges.over.estimate, true))
          << q(limitFigure(result.edges.under.estimate, true));
    for (int c = 0; c < cells.size(); ++c) setItem(r, c, new QTableWidgetItem(cells[c]));
  }
  resizeColumnsToContents();
  horizontalHeader()->setStretchLastSection(false);  // said anew, the last one stretches anew
  horizontalHeader()->setStretchLastSection(true);
}

}  // namespace edge::app
