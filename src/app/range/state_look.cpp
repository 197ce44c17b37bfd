#include "range/state_look.h"

#include "base/numbers.h"

namespace edge::app {

QString stateWord(PatchState s) {
  switch (s) {
    case PatchState::OneChannel:
      return "one channel";
    case PatchState::Unknown:
      return "removed";
    default:
      return QString(wordOf(s));
  }
}

QString snrWord(const RangeResult& r, size_t k) {
  const ChannelRange& y = r.channel[kY];
  if (r.states[k] == PatchState::Clipped) return "-";
  if (y.trust[k] == NoiseTrust::Removed) return "-";
  const QString number = QString::fromStdString(formatNumber(y.snr[k], y.snr[k] < 100 ? 2 : 1));
  return y.trust[k] == NoiseTrust::Quantised ? "over " + number : number;
}

Qt::PenStyle statePen(PatchState s) {
  switch (s) {
    case PatchState::Intact:
      return Qt::SolidLine;
    case PatchState::Noisy:
      return Qt::DashLine;
    case PatchState::Lost:
      return Qt::DotLine;
    case PatchState::Rebuilt:
      return Qt::DashDotDotLine;
    default:
      return Qt::DashDotLine;
  }
}

Qt::BrushStyle stateFill(PatchState s) {
  switch (s) {
    case PatchState::Intact:
      return Qt::SolidPattern;
    case PatchState::Noisy:
      return Qt::BDiagPattern;
    case PatchState::Lost:
      return Qt::NoBrush;
    case PatchState::Rebuilt:
      return Qt::HorPattern;
    case PatchState::OneChannel:
      return Qt::VerPattern;
    case PatchState::Unknown:
      return Qt::Dense6Pattern;
    default:
      return Qt::DiagCrossPattern;
  }
}

}  // namespace edge::app
