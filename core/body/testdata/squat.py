"""Makes squat.json: the leg markers of two motion-captured squats (Debian's
dart-doc, c3d/squat.c3d, BSD-2), metres, 20 pictures a second; a marker that was
not seen is null.

    python3 squat.py /usr/share/doc/dart/data/c3d/squat.c3d squat.json
"""
import json
import struct
import sys

raw = open(sys.argv[1], "rb").read()
first, = struct.unpack_from("<B", raw, 0)
points, analog, begin, end = struct.unpack_from("<HHHH", raw, 2)
start, = struct.unpack_from("<H", raw, 16)
rate, = struct.unpack_from("<f", raw, 20)

# Groups and parameters stand one after the other; each tells where the next is.
at, groups, found = 512 * (first - 1) + 4, {}, {}
while True:
    n, group = struct.unpack_from("<bb", raw, at)
    if n == 0:
        break
    name = raw[at + 2:at + 2 + abs(n)].decode()
    skip, = struct.unpack_from("<h", raw, at + 2 + abs(n))
    body = at + 4 + abs(n)
    if group < 0:
        groups[-group] = name
    else:
        kind, dims = struct.unpack_from("<bB", raw, body)
        shape = struct.unpack_from("<%dB" % dims, raw, body + 2)
        found[(group, name)] = (kind, shape, raw[body + 2 + dims:body + 2 + dims + 70000])
    if skip == 0:
        break
    at += 2 + abs(n) + skip
group = {v: k for k, v in groups.items()}["POINT"]
kind, shape, data = found[(group, "LABELS")]
labels = [data[i * shape[0]:(i + 1) * shape[0]].decode().strip() for i in range(shape[1])]
KEEP = ("LFWT", "LBWT", "RFWT", "RBWT", "LKNE", "LKNI", "RKNE", "RKNI", "LANK", "RANK")
EVERY, FROM, TO = 6, 336, 696 # two squats
size = 16 * points + 4 * analog
frames = []
for f in range(FROM, TO, EVERY):
    row = {}
    for i, label in enumerate(labels):
        label = label.split(":")[-1]
        if label in KEEP:
            x, y, z, seen = struct.unpack_from("<4f", raw, 512 * (start - 1) + f * size + 16 * i)
            row[label] = None if seen < 0 else [round(v / 1000, 4) for v in (x, y, z)]
    frames.append(row)
json.dump({"Rate": rate / EVERY, "Frames": frames}, open(sys.argv[2], "w"), separators=(",", ":"))
