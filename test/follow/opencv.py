"""Follows points with OpenCV, forward only, for test/follow: reads a line of
JSON (width, height, points by picture), then grey pictures, from its input;
writes where each point is on each picture, and the seconds it took.
"""
import json
import sys
import time

import cv2
import numpy as np

cv2.setNumThreads(1)
ask = json.loads(sys.stdin.buffer.readline())
w, h, n, count = ask["W"], ask["H"], ask["Pictures"], ask["Points"]
put = {int(k): v for k, v in ask["Put"].items()}
lk = dict(winSize=(ask["Side"], ask["Side"]), maxLevel=3, criteria=(cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 30, 0.01))
at, alive = np.zeros((count, 1, 2), np.float32), np.zeros(count, bool)
out, took, last = [], 0.0, None
for i in range(n):
    picture = np.frombuffer(sys.stdin.buffer.read(w * h), np.uint8).reshape(h, w)
    began = time.perf_counter()
    if last is not None and alive.any():
        k = np.flatnonzero(alive)
        there, ok, _ = cv2.calcOpticalFlowPyrLK(last, picture, at[k], None, **lk)
        back, ok2, _ = cv2.calcOpticalFlowPyrLK(picture, last, there, None, **lk)
        miss = np.linalg.norm((back - at[k]).reshape(-1, 2), axis=1)
        good = (ok.ravel() == 1) & (ok2.ravel() == 1) & (miss < 1.6)
        at[k] = there
        alive[k[~good]] = False
    last = picture
    for k, x, y in put.get(i, []):
        at[k, 0], alive[k] = (x, y), True
    took += time.perf_counter() - began
    out.append([[float(at[k, 0, 0]), float(at[k, 0, 1])] if alive[k] else None for k in range(count)])
json.dump({"At": out, "Seconds": took, "Version": cv2.__version__}, sys.stdout)
