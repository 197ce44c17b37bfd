// Paper needs fonts, and fonts need a Qt application, but no display.
#pragma once
#include <QGuiApplication>
#include <memory>

#include "theme/tokens.h"

namespace edge::cli {

class PaperApplication {
 public:
  PaperApplication() {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    // Standard error holds our own errors only.
    qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString&) {});
    application_ = std::make_unique<QGuiApplication>(argc_, argv_);
    app::loadFonts();
  }

 private:
  int argc_ = 1;
  char name_[14] = "edge-test-cli";
  char* argv_[2] = {name_, nullptr};
  std::unique_ptr<QGuiApplication> application_;
};

}  // namespace edge::cli
