#include "range/state_look.h"

namespace edge::app {

QString stateWord(PatchState s) {
  return s == PatchState::OneChannel ? QString("one channel") : QString(wordOf(s));
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
    default:
      return Qt::DiagCrossPattern;
  }
}

}  // namespace edge::app
