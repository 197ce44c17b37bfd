// The run list on paper: A4 landscape, one line a take, boxes to tick, cautions where they apply.
#pragma once
#include <QImage>
#include <filesystem>

#include "plan/run_list.h"

namespace edge::app {

// Needs a QGuiApplication. Errors: can't write.
// `notice`, where it is not empty, stands on every page.
void writeRunListPdf(const std::filesystem::path& file, const Recipe& recipe, const Plan& plan,
                     const Knowledge& known, const std::string& notice = {});

}  // namespace edge::app
