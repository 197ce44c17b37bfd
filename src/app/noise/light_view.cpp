#include "noise/light_view.h"

#include <QVBoxLayout>
#include <algorithm>

#include "noise/more_light.h"
#include "theme/text.h"

namespace edge::app {
namespace {
constexpr double kHeadroom = 1.2;
constexpr double kPhotons =
    0.25;  // stops of noise half a stop of light takes away where photons are all there is
}  // namespace

LightView::LightView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  noise_ = new Plot(this);
  noise_->setObjectName("more-light");
  noise_->setAccessibleName("Luma and chroma noise over stops above the base");
  gain_ = new Plot(this);
  gain_->setAccessibleName("Stops of noise that each half stop of light takes away");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(noise_, 3);
  column->addWidget(gain_, 2);
}

void LightView::setTheme(const Theme& t) {
  noise_->setTheme(t);
  gain_->setTheme(t);
  plot();
}

void LightView::show(const NoiseFinding* finding) {
  finding_ = finding;
  plot();
}

void LightView::plot() {
  noise_->clearAll();
  gain_->clearAll();
  const auto light = finding_ && finding_->bracket
                         ? moreLightOf(*finding_->bracket, finding_->bracketIso, document_.criteria())
                         : std::nullopt;
  if (light) {
    std::vector<double> x, luma, chroma, at, gain;
    double top = 0, most = kPhotons;
    for (const auto& s : light->steps) {
      x.push_back(s.stops);
      luma.push_back(s.luma);
      chroma.push_back(s.chroma);
      top = std::max({top, s.luma, s.chroma});
      if (!s.gainPerHalfStop) continue;
      at.push_back(s.stops);
      gain.push_back(*s.gainPerHalfStop);
      most = std::max(most, gain.back());
    }
    const Theme& t = noise_->currentTheme();
    noise_->addCurve("luma, sd of L*", t.solid, x, luma);
    noise_->addCurve("chroma, sd of a*, b*", t.quiet, x, chroma)->setPen(QPen(t.quiet, 1.5, Qt::DashLine));
    noise_->setAxes("stops over the base", "noise, brought back");
    noise_->setLegendCorner(Qt::AlignRight | Qt::AlignTop);
    noise_->xAxis->setRange(-0.3, x.back() + 0.5);
    noise_->yAxis->setRange(0, top * kHeadroom);
    auto* end = new QCPItemStraightLine(noise_);
    end->point1->setCoords(light->bestStops, 0);
    end->point2->setCoords(light->bestStops, 1);
    end->setPen(QPen(t.accent, 1.5));
    auto* words = new QCPItemText(noise_);
    words->position->setCoords(light->bestStops, top * 1.1);
    words->setPositionAlignment(Qt::AlignRight | Qt::AlignVCenter);
    words->setText("faces whole up to here  ");
    words->setColor(t.text);
    words->setFont(typeface(11));
    if (!at.empty()) {
      gain_->addCurve("gain", t.solid, at, gain);
      gain_->addLevel(kPhotons, "photons alone", false);
      gain_->setAxes("stops over the base", "stops a half stop buys");
      gain_->xAxis->setRange(-0.3, x.back() + 0.5);
      gain_->yAxis->setRange(std::min(0.0, *std::min_element(gain.begin(), gain.end())), most * kHeadroom);
    }
  }
  noise_->drawSoon();
  gain_->drawSoon();
}

}  // namespace edge::app
