#include "theme/tokens.h"

#include <QFontDatabase>

// The resources live in a static library: they must be asked for by name, outside any namespace.
static void initialiseResources() {
  Q_INIT_RESOURCE(resources);
}

namespace edge::app {
namespace {

QColor grey(int v) {
  return QColor(v, v, v);
}

const char* kFamily = "Noto Sans";

}  // namespace

QString wordOf(ThemeKind kind) {
  return kind == ThemeKind::Dark ? "dark" : kind == ThemeKind::Light ? "light" : "red on black";
}

const Theme& theme(ThemeKind kind) {
  static const Theme dark = {ThemeKind::Dark,
                             grey(0x2a),
                             grey(0x38),
                             grey(0x54),
                             grey(0xec),
                             grey(0xb0),
                             QColor(0xb6, 0x9c, 0xe6),
                             grey(0x18),
                             grey(0xd6),
                             QColor(0xe8, 0x70, 0x68),
                             QColor(0x74, 0xc2, 0x7c),
                             QColor(0x80, 0xa4, 0xf0)};
  static const Theme light = {ThemeKind::Light,
                              grey(0xe6),
                              grey(0xf6),
                              grey(0xb4),
                              grey(0x16),
                              grey(0x50),
                              QColor(0x5c, 0x3c, 0xa4),
                              grey(0xff),
                              grey(0x30),
                              QColor(0xb4, 0x28, 0x20),
                              QColor(0x1c, 0x78, 0x2c),
                              QColor(0x24, 0x48, 0xb8)};
  static const Theme night = {ThemeKind::Night,         grey(0x00),
                              QColor(0x18, 0x04, 0x02), QColor(0x4c, 0x12, 0x0a),
                              QColor(0xe0, 0x4a, 0x30), QColor(0xc8, 0x40, 0x2a),
                              QColor(0xe0, 0x4a, 0x30), grey(0x00),
                              QColor(0xc8, 0x40, 0x2a), QColor(0xe0, 0x4a, 0x30),
                              QColor(0xe0, 0x4a, 0x30), QColor(0xe0, 0x4a, 0x30)};
  return kind == ThemeKind::Dark ? dark : kind == ThemeKind::Light ? light : night;
}

Theme paperTheme() {
  Theme t = theme(ThemeKind::Light);
  t.window = t.raised = grey(0xff);
  t.text = grey(0x10), t.quiet = grey(0x50), t.solid = grey(0x20);
  return t;
}

QFont typeface(int pixels, bool bold) {
  QFont f(kFamily);
  f.setPixelSize(pixels);
  f.setBold(bold);
  return f;
}

void loadFonts() {
  initialiseResources();
  for (const char* file : {":/fonts/NotoSans-Regular.ttf", ":/fonts/NotoSans-Bold.ttf"})
    QFontDatabase::addApplicationFont(file);
}

QPalette paletteOf(const Theme& t) {
  QPalette p;
  for (const auto role :
       {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText}) {
    p.setColor(role, t.text);
    p.setColor(QPalette::Disabled, role, t.quiet);
  }
  for (const auto role : {QPalette::Button, QPalette::Base, QPalette::ToolTipBase})
    p.setColor(role, t.raised);
  for (const auto role : {QPalette::Window, QPalette::AlternateBase}) p.setColor(role, t.window);
  for (const auto role : {QPalette::BrightText, QPalette::PlaceholderText}) p.setColor(role, t.quiet);
  p.setColor(QPalette::Mid, t.rule);
  for (const auto role : {QPalette::Highlight, QPalette::Link, QPalette::LinkVisited})
    p.setColor(role, t.accent);
  p.setColor(QPalette::HighlightedText, t.onAccent);
  return p;
}

QString styleSheet() {
  return QString(R"(
* { font-family: "%8"; font-size: 13px; color: %1; }
QMainWindow, QWidget#surface, QDialog, QScrollArea { background: %2; border: none; }
QToolTip { background: %3; color: %1; border: 1px solid %4; padding: 4px; }
QPushButton, QComboBox, QLineEdit, QAbstractSpinBox { background: %3; border: 1px solid %4; border-radius: 2px; padding: 3px 10px; min-height: 20px; }
QPushButton:hover, QComboBox:hover { border-color: %5; }
QPushButton:focus, QComboBox:focus, QLineEdit:focus, QTableView:focus, QTreeView:focus, QListView:focus, QTextBrowser:focus { border: 1px solid %6; }
QPushButton:disabled, QAbstractSpinBox:disabled { color: %5; }
QRadioButton::indicator { width: 10px; height: 10px; border: 1px solid %5; border-radius: 6px; background: %2; }
QRadioButton::indicator:checked { background: %6; border-color: %6; }
QPushButton:checked { background: %6; color: %7; }
QPushButton#stage { background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 4px 9px; text-align: left; min-height: 40px; }
QPushButton#stage:checked { color: %1; background: transparent; border-bottom: 3px solid %6; }
QPushButton#page { background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 4px 9px; }
QPushButton#page:checked { color: %1; border-bottom: 3px solid %6; }
QPushButton#page:focus { background: %3; }
QPushButton#stage:focus { background: %3; }
QLabel#quiet { color: %5; font-size: 12px; }
QWidget#drawer { background: %2; border-left: 1px solid %4; }
QLabel#headline { font-size: 28px; font-weight: bold; }
QLabel#warning { border-left: 3px solid %5; padding-left: 8px; }
QPushButton#remedy, QPushButton#use { text-align: left; padding: 2px 8px; }
QLabel#title { font-size: 15px; font-weight: bold; }
QTableView, QTreeView, QListView { background: %2; alternate-background-color: %2; border: 1px solid %2; gridline-color: %4; selection-background-color: %3; selection-color: %1; }
QTableView::item { padding: 2px 4px; border-top: 1px solid transparent; border-bottom: 1px solid transparent; }
QTreeView::item { padding: 1px 2px; border-top: 1px solid transparent; border-bottom: 1px solid transparent; } QTreeView QLineEdit, QTreeView QComboBox { padding: 0 4px; min-height: 18px; }
QListView::item { padding: 2px; border-top: 1px solid transparent; border-bottom: 1px solid transparent; }
QTableView::item:selected, QTreeView::item:selected, QListView::item:selected { background: %3; border-top: 1px solid %6; border-bottom: 1px solid %6; }
QHeaderView, QTableCornerButton::section { background: %2; border: none; }
QHeaderView::section { background: %2; color: %5; border: none; border-bottom: 1px solid %4; padding: 3px 6px; font-size: 12px; }
QTextBrowser { background: %2; border: 1px solid %2; }
QComboBox QAbstractItemView { background: %3; border: 1px solid %4; selection-background-color: %6; selection-color: %7; }
QProgressBar { background: %3; border: none; height: 6px; text-align: center; }
QProgressBar::chunk { background: %5; }
QScrollBar:vertical { background: %2; width: 10px; } QScrollBar::handle:vertical { background: %4; min-height: 24px; }
QScrollBar:horizontal { background: %2; height: 10px; } QScrollBar::handle:horizontal { background: %4; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QMenu { background: %3; border: 1px solid %4; } QMenu::item:selected { background: %6; color: %7; }
QFrame#rule { background: %4; max-height: 1px; border: none; }
)")
      .arg("palette(window-text)", "palette(window)", "palette(button)", "palette(mid)",
           "palette(bright-text)", "palette(highlight)", "palette(highlighted-text)", kFamily);
}

}  // namespace edge::app
