"""Makes jumps.json: flights of motion-captured jumps (Debian's
assimp-testmodels, BVH/01_01.bvh, from the CMU motion capture database, free
for research and commercial use), as landmarks in metres, 120 pictures a second.

    python3 jumps.py /usr/share/assimp/models/BVH/01_01.bvh jumps.json
"""
import json
import sys

import numpy as np

SCALE = 0.0254 / 0.45
lines = open(sys.argv[1]).read().split("\n")
joints, stack, i = [], [], 0
while not lines[i].startswith("MOTION"):
    w = lines[i].split()
    if w and w[0] in ("ROOT", "JOINT", "End"):
        name = w[1] if w[0] != "End" else joints[stack[-1]]["name"] + ".end"
        joints.append({"name": name, "parent": stack[-1] if stack else -1, "channels": []})
        stack.append(len(joints) - 1)
    elif w and w[0] == "OFFSET":
        joints[stack[-1]]["offset"] = np.array([float(x) for x in w[1:4]])
    elif w and w[0] == "CHANNELS":
        joints[stack[-1]]["channels"] = w[2:]
    elif w and w[0] == "}":
        stack.pop()
    i += 1
n, dt = int(lines[i + 1].split()[1]), float(lines[i + 2].split()[2])
motion = [np.array([float(x) for x in l.split()]) for l in lines[i + 3:i + 3 + n]]


def turn(axis, deg):
    s, c = np.sin(np.radians(deg)), np.cos(np.radians(deg))
    return {"X": np.array([[1, 0, 0], [0, c, -s], [0, s, c]]), "Y": np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]), "Z": np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])}[axis]


def pose(values):
    out, at = {}, 0
    for k, j in enumerate(joints):
        p, R = j["offset"].copy(), np.eye(3)
        for c in j["channels"]:
            v = values[at]
            at += 1
            if c.endswith("position"):
                p["XYZ".index(c[0])] += v
            else:
                R = R @ turn(c[0], v)
        if j["parent"] >= 0:
            q, Q = out[j["parent"]]
            p, R = q + Q @ p, Q @ R
        out[k] = (p, R)
    return {joints[k]["name"]: v[0] * SCALE for k, v in out.items()}


part = {"hip": "UpLeg", "knee": "Leg", "ankle": "Foot", "heel": "Foot", "toe": "ToeBase.end", "shoulder": "Arm", "elbow": "ForeArm", "wrist": "Hand", "knuckle": "FingerBase"}
frames = []
for m in motion:
    p = pose(m)
    # BVH has y up: x, y, z become x, z up.
    at = {f"{name}.{s[0]}": p[s + j] for name, j in part.items() for s in ("Left", "Right")}
    at["neck"], at["vertex"] = p["Neck1"], p["Head.end"]
    frames.append({k: [v[2], v[0], v[1]] for k, v in at.items()})
low = np.array([min(f[k][2] for k in ("toe.L", "toe.R", "ankle.L", "ankle.R")) for f in frames])
ground = np.percentile(low, 5)
air = low > ground + 0.06
jumps, k = [], 0
while k < n:
    if air[k]:
        e = k
        while e < n and air[e]:
            e += 1
        if (e - k) * dt > 0.2:
            jumps.append({"From": k, "Frames": [{l: [round(x, 4) for x in v] for l, v in f.items()} for f in frames[k:e]]})
        k = e
    k += 1
print([(j["From"], round(j["From"] * dt, 2), len(j["Frames"])) for j in jumps])
jumps = [j for j in jumps if not 19.9 < j["From"] * dt < 20.8][:3]
json.dump({"Rate": 120, "Jumps": jumps}, open(sys.argv[2], "w"), separators=(",", ":"))
