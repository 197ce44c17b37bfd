#include <QApplication>
#include <QCommandLineParser>
#include <QIcon>
#include <csignal>

#include "shell/main_window.h"

int main(int argc, char** argv) {
  std::signal(SIGXFSZ, SIG_IGN);  // a file that may grow no further is an error like a full disk
  QApplication application(argc, argv);
  QApplication::setOrganizationName("edge-test");
  QApplication::setApplicationName("edge-test");
  QApplication::setApplicationVersion(EDGE_TEST_VERSION);
  QApplication::setDesktopFileName("org.edgetest.EdgeTest");
  edge::app::loadFonts();
  QApplication::setWindowIcon(QIcon(":/icon.svg"));
  QApplication::setFont(edge::app::typeface(edge::app::size::kBody));
  QCommandLineParser parser;
  parser.setApplicationDescription("Dynamic range, latitude and noise floor from chart and face tests");
  parser.addHelpOption();
  parser.addVersionOption();
  parser.addPositionalArgument("project", "project file (.edgetest)");
  parser.addOption({"demo", "open the demo project, made first where it does not stand yet"});
  parser.process(application);
  edge::app::MainWindow window(true);
  window.show();
  if (parser.isSet("demo"))
    window.openDemo(edge::app::demoFolder(), false);
  else if (!parser.positionalArguments().isEmpty())
    window.openProject(parser.positionalArguments().first().toStdString());
  else
    window.openLast();
  return QApplication::exec();
}
