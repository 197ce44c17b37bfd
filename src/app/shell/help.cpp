#include "shell/help.h"

#include <QApplication>
#include <QFile>
#include <QGridLayout>
#include <QImageReader>
#include <QLabel>
#include <QListWidget>
#include <QScrollArea>
#include <QTextBlock>
#include <QTextBrowser>

#include "theme/tokens.h"

// The documents live in a static library: they must be asked for by name, outside any namespace.
static void initialiseDocs() {
  Q_INIT_RESOURCE(docs);
}

namespace edge::app {
namespace {

constexpr int kPictureWidth = 720;

struct PageSpec {
  HelpPage page;
  const char *words, *file;
};
constexpr PageSpec kPages[] = {{HelpPage::Guide, "Guide", "guide.md"},
                               {HelpPage::Method, "Method: what is computed, and why", "method.md"},
                               {HelpPage::Formats, "File formats", "formats.md"},
                               {HelpPage::Recipe, "The recipe of a test day", "recipe.md"}};

const PageSpec& specOf(HelpPage page) {
  return kPages[static_cast<size_t>(page)];
}

QString textOf(const char* file) {
  initialiseDocs();
  QFile f(QString(":/docs/%1").arg(file));
  return f.open(QIODevice::ReadOnly) ? QString::fromUtf8(f.readAll()) : QString();
}

// Headings on the left, the text on the right.
class HelpWindow : public QDialog {
 public:
  HelpWindow(HelpPage page, QWidget* parent) : QDialog(parent) {
    setAttribute(Qt::WA_DeleteOnClose);
    setObjectName("help");
    setWindowTitle(QString("%1 — Edge Test").arg(specOf(page).words));
    resize(1040, 720);
    headings_ = new QListWidget(this);
    headings_->setAccessibleName("Sections");
    headings_->setFixedWidth(240);
    text_ = new QTextBrowser(this);
    text_->setAccessibleName(specOf(page).words);
    text_->setSearchPaths({":/docs"});
    text_->setOpenExternalLinks(false);
    // Shown when it is whole: what is shown is laid out with every change, and all its pictures decoded.
    auto* document = new QTextDocument(text_);
    document->setDefaultFont(text_->font());
    document->setMarkdown(textOf(specOf(page).file));
    fitPictures(*document);
    text_->setDocument(document);
    for (QTextBlock b = text_->document()->begin(); b.isValid(); b = b.next()) {
      const int level = b.blockFormat().headingLevel();
      if (level == 0 || level > 3) continue;
      auto* item = new QListWidgetItem(QString((level - 1) * 3, ' ') + b.text(), headings_);
      item->setData(Qt::UserRole, b.position());
    }
    connect(headings_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
      if (item) go(item->data(Qt::UserRole).toInt());
    });
    auto* row = new QHBoxLayout(this);
    row->addWidget(headings_);
    row->addWidget(text_, 1);
  }

  void showSection(const QString& section) {
    for (int i = 0; i < headings_->count() && !section.isEmpty(); ++i)
      if (headings_->item(i)->text().contains(section, Qt::CaseInsensitive))
        return headings_->setCurrentRow(i);
  }

 private:
  // Whole pictures, at the width of the page. Of known height, or laying out would decode them all.
  static void fitPictures(QTextDocument& document) {
    for (QTextBlock b = document.begin(); b.isValid(); b = b.next())
      for (auto i = b.begin(); !i.atEnd(); ++i) {
        QTextImageFormat image = i.fragment().charFormat().toImageFormat();
        if (!image.isValid()) continue;
        const QSize size = QImageReader(":/docs/" + image.name()).size();
        image.setWidth(kPictureWidth);
        if (!size.isEmpty()) image.setHeight(kPictureWidth * size.height() / size.width());
        QTextCursor at(&document);
        at.setPosition(i.fragment().position());
        at.setPosition(i.fragment().position() + i.fragment().length(), QTextCursor::KeepAnchor);
        at.setCharFormat(image);
      }
  }

  void go(int position) {
    QTextCursor at(text_->document());
    at.movePosition(QTextCursor::End);
    text_->setTextCursor(at);  // so that the heading comes to the top
    at.setPosition(position);
    text_->setTextCursor(at);
  }

  QListWidget* headings_;
  QTextBrowser* text_;
};

// One window of a kind: the one that stands goes.
void closeEarlier(const QWidget* parent, const char* name) {
  for (auto* dialog : parent->window()->findChildren<QDialog*>(name)) dialog->close();
}

}  // namespace

QString wordOf(HelpPage page) {
  return specOf(page).words;
}

void showHelp(QWidget* parent, HelpPage page, const QString& section) {
  closeEarlier(parent, "help");
  auto* window = new HelpWindow(page, parent);
  window->show();
  window->showSection(section);
}

void showKeys(QWidget* parent, const std::vector<CommandGroup>& groups) {
  closeEarlier(parent, "keys");
  auto* dialog = new QDialog(parent);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setObjectName("keys");
  dialog->setWindowTitle("Keys of " + groups.front().name);
  auto* grid = new QGridLayout(dialog);
  grid->setHorizontalSpacing(size::kMargin);
  // The stage's own beside those of the whole window: one list would be taller than a small screen.
  int rows[2] = {0, 0};
  for (const auto& g : groups) {
    const int side = &g == &groups.front() ? 0 : 1;
    for (const auto& c : g.commands) {
      if (c.key.isEmpty()) continue;
      auto* key = new QLabel(c.key, dialog);
      key->setObjectName("title");
      grid->addWidget(key, rows[side], 2 * side);
      grid->addWidget(new QLabel(c.words, dialog), rows[side]++, 2 * side + 1);
    }
  }
  dialog->show();
}

void showAbout(QWidget* parent) {
  auto* dialog = new QDialog(parent);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setObjectName("about");
  dialog->setWindowTitle("About Edge Test");
  dialog->resize(620, 520);
  auto* column = new QVBoxLayout(dialog);
  auto* title = new QLabel("Edge Test " + QApplication::applicationVersion(), dialog);
  title->setObjectName("headline");
  auto* text = new QTextBrowser(dialog);
  text->setAccessibleName("Licences");
  text->document()->setMarkdown(textOf("licences.md"));
  column->addWidget(title);
  column->addWidget(text, 1);
  dialog->show();
}

}  // namespace edge::app
