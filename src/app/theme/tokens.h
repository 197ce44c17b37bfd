// Every colour and size of the interface, for both themes. Chrome is strictly neutral (R = G = B); one
// accent.
#pragma once
#include <QColor>
#include <QFont>
#include <QPalette>
#include <QString>

namespace edge::app {

// Night: red on black, for the dark set; no picture is judged in it.
enum class ThemeKind { Dark, Light, Night };
inline constexpr ThemeKind kThemeKinds[] = {ThemeKind::Dark, ThemeKind::Light, ThemeKind::Night};
[[nodiscard]] QString wordOf(ThemeKind kind);  // "dark", "light", "red on black"

struct Theme {
  ThemeKind kind;
  QColor window;  // surround of pictures and plots
  QColor raised;  // fields, buttons, lists
  QColor rule;    // lines between things
  QColor text, quiet;
  QColor accent;  // selection and focus only
  QColor onAccent;
  QColor solid;             // ink of bars and patterns
  QColor red, green, blue;  // channels
};

[[nodiscard]] const Theme& theme(ThemeKind kind);
[[nodiscard]] Theme paperTheme();  // black on white

// Sizes in pixels on a 4 px grid.
namespace size {
inline constexpr int kGrid = 4, kGap = 8, kMargin = 16, kControl = 28, kBar = 40;
inline constexpr int kSmall = 12, kBody = 13, kFigure = 15, kHeadline = 28;
inline constexpr int kShoot = 52, kShootSmall = 28,
                     kShootLarge = 72;  // to be read at two metres, and what goes with it
}  // namespace size

// The shipped family at a pixel size. Figures are tabular in it.
[[nodiscard]] QFont typeface(int pixels, bool bold = false);
// Registers the shipped fonts with the application. Once, before the first window or page.
void loadFonts();

// The application's palette; BrightText is the quiet ink, Mid the lines.
[[nodiscard]] QPalette paletteOf(const Theme& theme);
// Style sheet of all standard widgets, whose colours are roles of the palette: it is read once, and another
// theme is another palette (theme/dressing.h).
[[nodiscard]] QString styleSheet();

}  // namespace edge::app
