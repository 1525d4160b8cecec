"""Makes filtfilt.json: SciPy's butter and filtfilt (odd padding) on a rough
curve, for several cut-offs.

    python3 golden.py filtfilt.json
"""
import json
import sys

import numpy as np
import scipy
from scipy.signal import butter, filtfilt

rate = 240
t = np.arange(180) / rate
x = np.sin(2 * np.pi * 1.3 * t) + 0.3 * np.sin(2 * np.pi * 5 * t + 1) + 0.05 * np.random.default_rng(3).standard_normal(len(t)) + 2 * t
out = {"SciPy": scipy.__version__, "Rate": rate, "X": x.tolist(), "Cases": []}
for cutoff in [4, 8, 12, 20]:
    once = rate / np.pi * np.arctan(np.tan(np.pi * cutoff / rate) / (np.sqrt(2) - 1) ** 0.25)
    b, a = butter(2, once, fs=rate)
    pad = min(int(2 * rate / cutoff), len(x) - 1)
    out["Cases"].append({"Cutoff": cutoff, "B": b.tolist(), "A": a.tolist(), "Y": filtfilt(b, a, x, padtype="odd", padlen=pad).tolist()})
json.dump(out, open(sys.argv[1], "w"))
