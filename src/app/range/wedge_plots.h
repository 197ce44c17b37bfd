// The two plots of a wedge: its levels step by step, and SNR over stops.
#pragma once
#include "report/findings.h"
#include "widgets/plot.h"

namespace edge::app {

enum class TraceUnit { Stops, Code, PerCent };

// Levels of the channels by step, spread a little so that none hides another; above them the classes by
// pattern and word; the clip of the first channel and the floor at `headlineSnr` as lines.
void fillTrace(Plot& plot, const Finding& finding, TraceUnit unit, double headlineSnr, const QString& chosen);

// Luma and channels, the levels that are read off, the chosen one to be dragged.
void fillSnr(Plot& plot, const Finding& finding, double headlineSnr);

// Step of the trace at a pixel, 0 the first; -1 beside them.
[[nodiscard]] int stepAt(const Plot& plot, const Finding& finding, double x);

}  // namespace edge::app
