"""Makes opencv.json: OpenCV's findHomography, triangulatePoints and
undistortPoints, and the corners of three of its chessboard photographs with
the distortion that calibrateCamera gives all thirteen (one radial term).

    python3 golden.py opencv.json        (needs Debian's opencv-doc)
"""
import glob
import json
import sys

import cv2
import numpy as np

rnd = np.random.default_rng(5)
out = {"OpenCV": cv2.__version__}

ground = np.array([[0, 0], [4, 0], [4, 8], [0, 8], [2, 4], [1, 6], [3, 2], [-1, 3]], float)
H = np.array([[90, -22, 300], [4, -30, 640], [0.01, -0.055, 1]])
q = np.c_[ground, np.ones(8)] @ H.T
px = q[:, :2] / q[:, 2:] + rnd.normal(0, 0.7, (8, 2))
found, _ = cv2.findHomography(ground, px, 0)
out["Homography"] = {"Metres": ground.tolist(), "Px": px.tolist(), "H": (found / found[2, 2]).ravel().tolist()}


def camera(at, look):
    z = (look - at) / np.linalg.norm(look - at)
    x = np.cross(z, [0, 0, 1]); x /= np.linalg.norm(x)
    R = np.array([x, np.cross(z, x), z])
    K = np.array([[1400, 0, 640], [0, 1400, 360], [0, 0, 1.]])
    return K @ np.c_[R, -R @ at]


P = [camera(np.array([0., -12, 1.5]), np.array([0., 0, 1])), camera(np.array([-11., 3, 1.8]), np.array([0., 0, 1]))]
control = np.array([[x, y, z] for x in (-1.5, 1.5) for y in (-1, 1) for z in (0, 2)], float)


def see(p, X):
    v = np.c_[X, np.ones(len(X))] @ p.T
    return v[:, :2] / v[:, 2:]


X = rnd.uniform([-1, -1, 0], [1, 1, 2.2], (12, 3))
seen = [see(p, X) + rnd.normal(0, 1.0, (12, 2)) for p in P]
t = cv2.triangulatePoints(P[0], P[1], seen[0].T, seen[1].T)
out["Views"] = {"Control": control.tolist(), "ControlPx": [see(p, control).tolist() for p in P], "Px": [s.tolist() for s in seen], "Truth": X.tolist(), "Points": (t[:3] / t[3]).T.tolist()}

K = np.array([[900, 0, 640], [0, 900, 360], [0, 0, 1.]])
bent = rnd.uniform([20, 20], [1260, 700], (10, 2))
straight = cv2.undistortPointsIter(bent.reshape(-1, 1, 2), K, np.array([-0.12, 0.03, 0, 0]), None, K, (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 100, 1e-12))
out["Lens"] = {"Focal": 900, "K1": -0.12, "K2": 0.03, "Bent": bent.tolist(), "Straight": straight.reshape(-1, 2).tolist()}

objp = np.zeros((54, 3), np.float32)
objp[:, :2] = np.mgrid[0:9, 0:6].T.reshape(-1, 2)
boards, size = [], None
for name in sorted(glob.glob("/usr/share/doc/opencv-doc/examples/data/left*.jpg")):
    g = cv2.imread(name, 0)
    ok, c = cv2.findChessboardCorners(g, (9, 6))
    if ok:
        c = cv2.cornerSubPix(g, c, (5, 5), (-1, -1), (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.001))
        boards.append(c)
        size = g.shape[::-1]
flags = cv2.CALIB_ZERO_TANGENT_DIST | cv2.CALIB_FIX_K2 | cv2.CALIB_FIX_K3
rms, K, dist, _, _ = cv2.calibrateCamera([objp] * len(boards), boards, size, None, None, flags=flags)
out["Boards"] = {"Width": size[0], "Height": size[1], "Focal": K[0, 0], "Cx": K[0, 2], "Cy": K[1, 2], "K1": dist.ravel()[0], "RMS": rms, "Photographs": len(boards),
                 "Corners": [np.round(b.reshape(-1, 2).astype(float), 3).tolist() for b in boards[:4]]}
json.dump(out, open(sys.argv[1], "w"))
print(len(boards), K[0, 0], dist.ravel(), rms)
