// The slate: what a person reads and what a machine reads, on screen and on paper. Black on white always.
#pragma once
#include <QRectF>
#include <QString>
#include <filesystem>
#include <vector>

#include "plan/plan.h"
#include "shoot/slate_code.h"

class QPainter;

namespace edge::app {

struct SlateFace {
  QrSymbol symbol;
  QString title, slate, settings, attempt;
};
[[nodiscard]] SlateFace slateFace(const std::string& project, const Recipe& recipe, const Take& take,
                                  int attempt);
void paintSlate(QPainter& painter, const QRectF& area, const SlateFace& face);

// One slate a page, A5 landscape, in the order of the plan, each with its attempt. Errors: can't write.
void writeSlatesPdf(const std::filesystem::path& file, const std::string& project, const Recipe& recipe,
                    const Plan& plan, const std::vector<int>& attempts);

}  // namespace edge::app
