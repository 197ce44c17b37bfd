#!/usr/bin/env python3
"""Reference for the detail left in a take: made with numpy and scipy, by the definitions, on fixed arrays.

Writes detail.json beside itself. The arrays are made of integers only, so that the test makes the same ones:
x' = (1103515245 x + 12345) mod 2^31 (ISO C's example generator), a value is the sum of 12 of them over 2^31, less 6.
High pass: the array less scipy.ndimage.gaussian_filter (sigma 3, mirror). Formulas of docs/method.md, "Detail".
"""
import json
import pathlib

import numpy as np
from scipy import ndimage

N, H, W, REACH = 8, 72, 64, 2


def numbers(seed):
    x = seed
    while True:
        total = 0.0
        for _ in range(12):
            x = (1103515245 * x + 12345) % 2**31
            total += x / 2**31
        yield total - 6


def clip(texture, gain, noise, seed):
    g = numbers(seed)
    frames = np.array([next(g) for _ in range(N * H * W)]).reshape(N, H, W)
    return 50 + gain * texture + noise * frames


def texture():
    g = numbers(7)
    return 3 * np.array([next(g) for _ in range(H * W)]).reshape(H, W)


def high(frames):
    return np.array([f - ndimage.gaussian_filter(f, 3, mode="mirror", truncate=4) for f in frames])


def cov(a, b):
    inside = (slice(REACH, -REACH), slice(REACH, -REACH))
    return np.cov(a[inside].ravel(), b[inside].ravel(), bias=True)[0, 1]


def detail(take, base):
    o, b = high(take), high(base)
    mean_o, mean_b = o.mean(0), b.mean(0)
    texture2 = cov(b[0::2].mean(0), b[1::2].mean(0))
    own = cov(o[0::2].mean(0), o[1::2].mean(0))
    shared = cov(mean_b, mean_o)
    single = np.mean([cov(mean_b, f) / np.sqrt(texture2 * cov(f, f)) for f in o])
    return {"single": single, "noise_free": shared / np.sqrt(texture2 * own), "gain": shared / texture2}


t = texture()
base = clip(t, 1, 0.4, 11)
cases = [(1, 0.4, 21), (0.9, 1.5, 22), (0.8, 4, 23), (0.6, 8, 24)]
out = {"frames": N, "height": H, "width": W, "cases": []}
for gain, noise, seed in cases:
    out["cases"].append({"contrast": gain, "noise": noise, "seed": seed, **detail(clip(t, gain, noise, seed), base)})
pathlib.Path(__file__).with_suffix(".json").write_text(json.dumps(out, indent=1) + "\n")
