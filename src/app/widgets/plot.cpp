#include "widgets/plot.h"

#include <QApplication>
#include <QClipboard>
#include <QMenu>
#include <QTimer>
#include <utility>

namespace edge::app {
namespace {
constexpr double kGrabPixels = 7;
constexpr int kWidestName = 200;  // pixels, in the legend
}  // namespace

Plot::Plot(QWidget* parent) : QCustomPlot(parent), theme_(theme(ThemeKind::Dark)) {
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(200, 140);
  setMouseTracking(true);
  axisRect()->setupFullAxesBox();
  for (QCPAxis* axis : {xAxis2, yAxis2}) axis->setTicks(false), axis->setTickLabels(false);
  setLegendCorner(Qt::AlignLeft | Qt::AlignTop);
  setTheme(theme_);
}

void Plot::setTheme(const Theme& t) {
  theme_ = t;
  setBackground(t.window);
  for (QCPAxis* axis : {xAxis, yAxis, xAxis2, yAxis2}) {
    axis->setBasePen(QPen(t.rule));
    axis->setTickPen(QPen(t.quiet));
    axis->setSubTickPen(QPen(t.rule));
    axis->setTickLabelColor(t.quiet);
    axis->setLabelColor(t.quiet);
    axis->setTickLabelFont(typeface(11));
    axis->setLabelFont(typeface(size::kSmall));
    axis->grid()->setPen(QPen(t.rule, 0.6, Qt::DotLine));
    axis->grid()->setZeroLinePen(QPen(t.rule, 1));
  }
  legend->setBrush(t.window);
  legend->setBorderPen(Qt::NoPen);
  legend->setTextColor(t.quiet);
  legend->setFont(typeface(11));
  drawSoon();
}

void Plot::setAxes(const QString& x, const QString& y) {
  xAxis->setLabel(x);
  yAxis->setLabel(y);
}

QCPGraph* Plot::addCurve(const QString& name, const QColor& colour, const std::vector<double>& x,
                         const std::vector<double>& y, bool points) {
  axisRect()->setVisible(true);
  QCPGraph* g = addGraph();
  // A long body's name covers no curves; mode and ISO stand at its end.
  g->setName(QFontMetrics(legend->font()).elidedText(name, Qt::ElideMiddle, kWidestName));
  g->setPen(QPen(colour, 1.5));
  g->setAntialiased(true);
  if (points) g->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, colour, colour, 4));
  g->setData(QVector<double>(x.begin(), x.end()), QVector<double>(y.begin(), y.end()), true);
  legend->setVisible(graphCount() > 1);
  return g;
}

void Plot::addLevel(double y, const QString& words, bool draggable) {
  auto* line = new QCPItemStraightLine(this);
  line->point1->setCoords(0, y);
  line->point2->setCoords(1, y);
  line->setPen(QPen(draggable ? theme_.accent : theme_.quiet, draggable ? 2 : 1,
                    draggable ? Qt::SolidLine : Qt::DashLine));
  auto* text = new QCPItemText(this);
  text->setPositionAlignment(Qt::AlignRight | Qt::AlignBottom);
  text->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
  text->position->setTypeY(QCPItemPosition::ptPlotCoords);
  text->position->setCoords(0.99, y);
  text->setText(words);
  text->setFont(typeface(11, draggable));
  text->setColor(draggable ? theme_.text : theme_.quiet);
  if (draggable) draggable_.push_back(y);
}

void Plot::setLegendCorner(Qt::Alignment corner) {
  axisRect()->insetLayout()->setInsetAlignment(0, corner);
}

void Plot::clearAll() {
  axisRect()->setVisible(false);
  legend->setVisible(false);
  clearPlottables();
  clearItems();
  draggable_.clear();
}

void Plot::drawSoon() {
  stale_ = !isVisible();
  if (!stale_) replot(QCustomPlot::rpQueuedReplot);
}

void Plot::showEvent(QShowEvent* event) {
  QCustomPlot::showEvent(event);
  if (std::exchange(stale_, false)) replot(QCustomPlot::rpQueuedRefresh);
}

// In a turn of its own, after a drawing that was asked for before.
void Plot::hideEvent(QHideEvent* event) {
  QCustomPlot::hideEvent(event);
  QTimer::singleShot(0, this, [this] {
    if (isVisible()) return;
    mPaintBuffers.clear();
    stale_ = true;
  });
}

// A size that is told before it is shown is drawn with the rest then.
void Plot::resizeEvent(QResizeEvent* event) {
  if (isVisible()) return QCustomPlot::resizeEvent(event);
  setViewport(rect());
  stale_ = true;
}

std::optional<double> Plot::draggablePixel(size_t line) const {
  return line < draggable_.size() ? std::optional(yAxis->coordToPixel(draggable_[line])) : std::nullopt;
}

std::optional<size_t> Plot::lineNear(double y) const {
  for (size_t i = 0; i < draggable_.size(); ++i)
    if (std::abs(y - *draggablePixel(i)) < kGrabPixels) return i;
  return std::nullopt;
}

void Plot::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) dragging_ = lineNear(event->position().y());
  if (dragging_) chosen_ = *dragging_;
}

void Plot::mouseMoveEvent(QMouseEvent* event) {
  setCursor(dragging_ || lineNear(event->position().y()) ? Qt::SizeVerCursor : Qt::ArrowCursor);
  if (dragging_) emit levelDragged(yAxis->pixelToCoord(event->position().y()), static_cast<int>(*dragging_));
}

void Plot::mouseReleaseEvent(QMouseEvent* event) {
  if (!dragging_) return;
  const int line = static_cast<int>(*dragging_);
  dragging_.reset();
  emit levelDropped(yAxis->pixelToCoord(event->position().y()), line);
}

// Up and down move the chosen line, right and left choose another.
void Plot::keyPressEvent(QKeyEvent* event) {
  const double step = event->modifiers() & Qt::ShiftModifier ? 0.5 : 0.1;
  const size_t count = draggable_.size();
  if (count > 0) chosen_ = std::min(chosen_, count - 1);
  if (event->matches(QKeySequence::Copy))
    copyPicture();
  else if (count > 0 && event->key() == Qt::Key_Up)
    emit levelDropped(draggable_[chosen_] + step, static_cast<int>(chosen_));
  else if (count > 0 && event->key() == Qt::Key_Down)
    emit levelDropped(draggable_[chosen_] - step, static_cast<int>(chosen_));
  else if (count > 1 && (event->key() == Qt::Key_Right || event->key() == Qt::Key_Left))
    chosen_ = (chosen_ + 1) % count;
  else
    QCustomPlot::keyPressEvent(event);
}

void Plot::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  menu.addAction("Copy this plot", [this] { copyPicture(); });
  menu.exec(event->globalPos());
}

void Plot::copyPicture() const {
  QApplication::clipboard()->setPixmap(const_cast<Plot*>(this)->toPixmap(0, 0, 2));
}

}  // namespace edge::app
