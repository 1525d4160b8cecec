"""Makes core/track/testdata/flow.json: two pictures of a made-up cloth and
where OpenCV finds points of the first in the second.

    python3 golden.py flow.json
"""
import base64
import json
import sys

import cv2
import numpy as np

rnd = np.random.default_rng(7)
W, H = 200, 160
turn, zoom, shift = 0.02, 1.01, np.array([4.3, -2.6])
c, s = zoom * np.cos(turn), zoom * np.sin(turn)
M = np.array([[c, -s], [s, c]])
waves = [(2 * np.pi / rnd.uniform(7, 60), rnd.uniform(0, 2 * np.pi), rnd.uniform(0, 2 * np.pi), rnd.uniform(5, 13)) for _ in range(40)]


def cloth(x, y):
    v = np.full(x.shape, 128.0)
    for k, way, phase, high in waves:
        v += high * np.cos(k * np.cos(way) * x + k * np.sin(way) * y + phase)
    return np.clip(np.round(v), 0, 255).astype(np.uint8)


y, x = np.mgrid[0:H, 0:W].astype(float)
first = cloth(x, y)
back = np.linalg.inv(M)
bx, by = x - shift[0], y - shift[1]
second = cloth(back[0, 0] * bx + back[0, 1] * by, back[1, 0] * bx + back[1, 1] * by)
points = np.array([[px, py] for px in range(40, 161, 20) for py in range(40, 121, 20)], np.float32)
to, found, _ = cv2.calcOpticalFlowPyrLK(first, second, points.reshape(-1, 1, 2), None, winSize=(17, 17), maxLevel=3,
                                        criteria=(cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 30, 0.01))
assert found.all()
true = points @ M.T + shift
out = {"W": W, "H": H, "First": base64.b64encode(first.tobytes()).decode(), "Second": base64.b64encode(second.tobytes()).decode(),
       "Points": [{"X": float(p[0]), "Y": float(p[1]), "ToX": float(q[0]), "ToY": float(q[1]), "TrueX": float(t[0]), "TrueY": float(t[1])}
                  for p, q, t in zip(points, to.reshape(-1, 2), true)]}
json.dump(out, open(sys.argv[1], "w"))
