#include "shell/session.h"

#include <QCryptographicHash>
#include <QSettings>

#include "theme/text.h"

namespace fs = std::filesystem;

namespace edge::app {
namespace {

constexpr int kMostRecent = 10;
constexpr const char *kRecentKey = "recent", *kLastKey = "last", *kGeometryKey = "window",
                     *kThemeKey = "theme", *kLibraryKey = "library", *kScoreKey = "exercises";

QString keyOf(const fs::path& file) {
  const QByteArray path = q(fs::absolute(file).lexically_normal().string()).toUtf8();
  return "view/" + QCryptographicHash::hash(path, QCryptographicHash::Sha1).toHex().left(16);
}

bool stands(const QString& file) {
  std::error_code ec;
  return !file.isEmpty() && fs::exists(file.toStdString(), ec);
}

}  // namespace

void Session::opened(const fs::path& file) {
  if (!on_) return;
  const QString path = q(fs::absolute(file).lexically_normal().string());
  QStringList list = QSettings().value(kRecentKey).toStringList();
  list.removeAll(path);
  list.prepend(path);
  QSettings().setValue(kRecentKey, QStringList(list.mid(0, kMostRecent)));
  setLast(file);
}

std::vector<fs::path> Session::recent() const {
  std::vector<fs::path> out;
  if (!on_) return out;
  for (const QString& path : QSettings().value(kRecentKey).toStringList())
    if (stands(path)) out.emplace_back(path.toStdString());
  return out;
}

void Session::setLast(const fs::path& file) {
  if (on_) QSettings().setValue(kLastKey, file.empty() ? QString() : q(fs::absolute(file).string()));
}

std::optional<fs::path> Session::last() const {
  const QString path = on_ ? QSettings().value(kLastKey).toString() : QString();
  return stands(path) ? std::optional<fs::path>(path.toStdString()) : std::nullopt;
}

namespace {

QString allowedKey(const std::string& project) {
  return "outside/" + QCryptographicHash::hash(QByteArray::fromStdString(project), QCryptographicHash::Sha1)
                          .toHex()
                          .left(16);
}

}  // namespace

void Session::allow(const std::string& project, const QStringList& folders) {
  if (allows(project, folders)) return;
  QStringList all = on_ ? QSettings().value(allowedKey(project)).toStringList() : allowed_[project];
  all += folders;
  all.removeDuplicates();
  if (on_)
    QSettings().setValue(allowedKey(project), all);
  else
    allowed_[project] = all;
}

bool Session::allows(const std::string& project, const QStringList& folders) const {
  QStringList all;
  if (on_)
    all = QSettings().value(allowedKey(project)).toStringList();
  else if (const auto at = allowed_.find(project); at != allowed_.end())
    all = at->second;
  return std::all_of(folders.begin(), folders.end(), [&](const QString& f) { return all.contains(f); });
}

void Session::setView(const fs::path& project, const View& view) {
  if (on_) QSettings().setValue(keyOf(project), QStringList{view.stage, QString::number(view.configuration)});
}

std::optional<View> Session::view(const fs::path& project) const {
  const QStringList words = on_ ? QSettings().value(keyOf(project)).toStringList() : QStringList();
  if (words.size() != 2) return std::nullopt;
  return View{words[0], words[1].toInt()};
}

void Session::saveWindow(const QMainWindow& window) {
  if (on_) QSettings().setValue(kGeometryKey, window.saveGeometry());
}

void Session::restoreWindow(QMainWindow& window) const {
  if (on_) window.restoreGeometry(QSettings().value(kGeometryKey).toByteArray());
}

// Red on black is for the dark set and is not the next start's theme.
void Session::setLibrary(const fs::path& folder) {
  if (on_) QSettings().setValue(kLibraryKey, q(folder.string()));
}

fs::path Session::library() const {
  const QString path = on_ ? QSettings().value(kLibraryKey).toString() : QString();
  return stands(path) ? fs::path(path.toStdString()) : fs::path();
}

void Session::setScore(const Score& score) {
  if (on_)
    QSettings().setValue(kScoreKey, QStringList{QString::number(score.right), QString::number(score.of)});
}

Score Session::score() const {
  const QStringList kept = on_ ? QSettings().value(kScoreKey).toStringList() : QStringList();
  if (kept.size() != 2) return {};
  const Score s{kept[0].toInt(), kept[1].toInt()};
  return s.right >= 0 && s.right <= s.of ? s : Score{};
}

void Session::setTheme(ThemeKind kind) {
  if (on_ && kind != ThemeKind::Night)
    QSettings().setValue(kThemeKey, kind == ThemeKind::Dark ? "dark" : "light");
}

ThemeKind Session::theme() const {
  return on_ && QSettings().value(kThemeKey) == "light" ? ThemeKind::Light : ThemeKind::Dark;
}

}  // namespace edge::app
