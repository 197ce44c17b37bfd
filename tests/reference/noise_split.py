#!/usr/bin/env python3
"""Reference for the three-way split of noise: made with numpy, by the definitions, on one fixed array.

Writes noise_split.json beside itself. The array is made of integers only, so that the test makes the same one:
x' = (1103515245 x + 12345) mod 2^31 (ISO C's example generator), a value is the sum of 12 of them over 2^31.
EMVA 1288 R4.0, 8.2 (removal of the smooth surface) and the three-way analysis of variance of docs/method.md, "Noise of a patch": every mean square from its own residuals, by looping over the definition, not by sums of squares.
"""
import json
import pathlib

import numpy as np
from scipy import stats

N, H, W = 24, 20, 16


def numbers():
    x = 20261125
    while True:
        total = 0.0
        for _ in range(12):
            x = (1103515245 * x + 12345) % 2**31
            total += x / 2**31
        yield total - 6


def array():
    g = numbers()
    pixel = np.array([next(g) for _ in range(N * H * W)]).reshape(N, H, W)
    row = np.array([next(g) for _ in range(N * H)]).reshape(N, H, 1)
    column = np.array([next(g) for _ in range(N * W)]).reshape(N, 1, W)
    frame = np.array([next(g) for _ in range(N)]).reshape(N, 1, 1)
    fixed = np.array([next(g) for _ in range(H * W)]).reshape(1, H, W)
    fixed_row = np.array([next(g) for _ in range(H)]).reshape(1, H, 1)
    fixed_column = np.array([next(g) for _ in range(W)]).reshape(1, 1, W)
    return 100 + 2 * pixel + 0.7 * row + 0.5 * column + 0.4 * frame + 1.1 * fixed + 0.6 * fixed_row + 0.8 * fixed_column


def flattened(mean):
    """The mean frame without its second-order polynomial, scipy-free least squares."""
    v, h = np.meshgrid(np.linspace(-1, 1, H), np.linspace(-1, 1, W), indexing="ij")
    basis = np.stack([np.ones_like(v), v, h, v * v, h * h, v * h], axis=-1).reshape(-1, 6)
    fit, *_ = np.linalg.lstsq(basis, mean.reshape(-1), rcond=None)
    return mean - (basis @ fit).reshape(H, W)


def split(y):
    level = y.mean()
    t, v, h = y.mean((1, 2)), y.mean((0, 2)), y.mean((0, 1))
    tv, th, vh = y.mean(2), y.mean(1), y.mean(0)
    ms_t = H * W * ((t - level) ** 2).sum() / (N - 1)
    ms_tv = W * ((tv - t[:, None] - v[None, :] + level) ** 2).sum() / ((N - 1) * (H - 1))
    ms_th = H * ((th - t[:, None] - h[None, :] + level) ** 2).sum() / ((N - 1) * (W - 1))
    rest = (y - tv[:, :, None] - th[:, None, :] - vh[None] + t[:, None, None] + v[None, :, None] + h[None, None, :]
            - level)
    ms_e = (rest**2).sum() / ((N - 1) * (H - 1) * (W - 1))
    flat = flattened(vh)
    fv, fh = flat.mean(1), flat.mean(0)
    # The polynomial took two degrees of freedom of the rows, two of the columns and one of the pixels.
    ms_v, ms_h = N * W * (fv**2).sum() / (H - 3), N * H * (fh**2).sum() / (W - 3)
    ms_vh = N * ((flat - fv[:, None] - fh[None, :]) ** 2).sum() / ((H - 1) * (W - 1) - 1)
    moving = y - t[:, None, None]
    return {
        "pixel_temporal": ms_e,
        "row_temporal": (ms_tv - ms_e) / W,
        "column_temporal": (ms_th - ms_e) / H,
        "pixel_fixed": (ms_vh - ms_e) / N,
        "row_fixed": (ms_v - ms_tv - ms_vh + ms_e) / (N * W),
        "column_fixed": (ms_h - ms_th - ms_vh + ms_e) / (N * H),
        "flicker": (ms_t - ms_tv - ms_th + ms_e) / (H * W),
        "temporal_variance": ((moving - moving.mean(0)) ** 2).sum() / ((N - 1) * (H * W - 1)),
        "skewness": float(stats.skew(moving.reshape(-1))),
    }


if __name__ == "__main__":
    result = {"frames": N, "rows": H, "columns": W, "split": split(array())}
    pathlib.Path(__file__).with_suffix(".json").write_text(json.dumps(result, indent=1) + "\n")
