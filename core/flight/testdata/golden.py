"""Makes flights.json: the flights of a shot, a disc and a javelin integrated
by SciPy's solve_ivp (RK45, relative tolerance 1e-10, steps of 10 ms at most), from coefficients that
are written down here a second time.

    python3 golden.py flights.json
"""
import json
import sys

import numpy as np
import scipy
from scipy.integrate import solve_ivp

G, RHO = 9.80665, 1.225
DISC = np.array([[0, 0, .06], [5, .15, .07], [10, .32, .12], [15, .49, .19], [20, .66, .28], [25, .82, .39], [28, .88, .47], [32, .70, .56],
                 [40, .62, .70], [50, .55, .83], [60, .45, .93], [75, .25, 1.03], [90, 0, 1.07]])


def forces(kind, v, attack):
    """lift, drag, moment, mass, inertia"""
    if kind == "shot":
        area = np.pi * .12 ** 2 / 4 * .47
        return 0, RHO / 2 * v * v * area, 0, 7.26, 1
    if kind == "discus":
        a, way = abs(attack), np.sign(attack)
        if a > 90:  # it flies backward
            a, way = 180 - a, -way
        q = RHO / 2 * v * v * np.pi * .22 ** 2 / 4
        return q * np.interp(a, DISC[:, 0], DISC[:, 1]) * way, q * np.interp(a, DISC[:, 0], DISC[:, 2]), 0, 2.0, 1
    long, mass = 2.65, .8
    s, c = np.sin(np.radians(attack)), np.cos(np.radians(attack))
    n = RHO / 2 * v * v * long * .019 * 1.1 * s * abs(s)
    t = RHO / 2 * v * v * np.pi * long * .019 * .005 * c * abs(c)
    return n * c - t * s, n * s + t * c, -.18 * n, mass, mass * long ** 2 / 13.3


def fly(kind, speed, angle, height, attitude, pitching, wind):
    def change(_, s):
        wx, wy = s[2] - wind, s[3]
        v = np.hypot(wx, wy)
        lift, drag, moment, mass, inertia = forces(kind, v, np.degrees(s[4] - np.arctan2(wy, wx)))
        ux, uy = wx / v, wy / v
        return [s[2], s[3], (-drag * ux - lift * uy) / mass, (-drag * uy + lift * ux) / mass - G, s[5], moment / inertia]

    def down(_, s):
        return s[1]
    down.terminal, down.direction = True, -1
    a = np.radians(angle)
    out = solve_ivp(change, (0, 15), [0, height, speed * np.cos(a), speed * np.sin(a), np.radians(attitude), np.radians(pitching)], events=down, rtol=1e-10, atol=1e-10, max_step=0.01)
    end = out.y_events[0][0]
    return {"Distance": end[0], "Time": out.t_events[0][0], "Attitude": np.degrees(end[4])}


cases = [("shot", 13.5, 37, 2.1, 0, 0, 0), ("shot", 14.2, 35, 2.2, 0, 0, -3), ("discus", 25, 36, 1.8, 28, 0, 0), ("discus", 25, 34, 1.8, 20, 0, -8),
         ("discus", 24, 38, 1.7, 40, 0, 6), ("javelin", 28, 34, 1.9, 34, 0, 0), ("javelin", 30, 32, 1.8, 36, -5, -4), ("javelin", 26, 38, 1.8, 33, 8, 3)]
json.dump({"SciPy": scipy.__version__, "Cases": [dict(zip(["Kind", "Speed", "Angle", "Height", "Attitude0", "Pitching", "Wind"], c), **fly(*c)) for c in cases]},
          open(sys.argv[1], "w"), indent=1)
