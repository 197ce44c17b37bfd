#!/usr/bin/env python3
# Differences of few frames of AR(1) processes, by numpy: writes ar1.json beside this file. y = a y' + (1 - a) x,
# x of variance 1, settled or starting at its first frame. numpy 1.24 of Debian 12.
import json
import os

import numpy as np

random = np.random.default_rng(20261126)
cases = []
for name, a, frames, settled in [
    ("settled, 0.3, 8 frames", 0.3, 8, True), ("settled, 0.6, 8 frames", 0.6, 8, True),
    ("settled, 0.85, 8 frames", 0.85, 8, True), ("from its first frame, 0.7, 12 frames", 0.7, 12, False)]:
    patches, factors = [], []
    for _ in range(10):
        x = random.standard_normal((frames + (200 if settled else 0), 64 * 64))
        y = np.empty_like(x)
        y[0] = x[0]
        for t in range(1, len(x)):
            y[t] = a * y[t - 1] + (1 - a) * x[t]
        y = y[-frames:]
        variance = y.var(axis=0, ddof=1).mean()
        factors.append(1 / variance)
        patches.append({"pixels": y.shape[1], "changes_over_variance": [
            [float(((y[t + lag] - y[t]) ** 2).mean() / variance) for t in range(frames - lag)]
            for lag in range(1, 5)]})
    cases.append({"name": name, "rho": a, "ln_factor": float(np.log(np.mean(factors))), "patches": patches})
with open(os.path.join(os.path.dirname(__file__), "ar1.json"), "w") as out:
    json.dump({"cases": cases}, out, indent=1)
