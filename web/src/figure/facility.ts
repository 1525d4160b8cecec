// The place of each event, with its markings to the size of the rules: lanes
// and blocks, circles, boards, runways, sand, bar and mat, box.
import * as THREE from 'three'
import { Rod, V, box, noise, paint, sheet, speckled, stripe, type Point } from './materials'

export type Marks = Record<string, Point>

const white = paint('#f6f2e8'),
  steel = paint('#5a6168', 0.4, 0.4),
  rubber = paint('#23272b'),
  wood = paint('#f1ece0', 0.7),
  concrete = '#b9b4a8',
  track = '#b5482f'

/** Grass all round, a fence and trees: the same from every side. daylight tints what no lamp lights. */
export function surroundings(daylight: string): THREE.Group {
  const g = new THREE.Group()
  const grass = sheet(
    160,
    160,
    new THREE.MeshBasicMaterial({ map: speckled('#6f9f5c', 0.26, 11, [160, 160]), color: daylight }),
    0,
    0,
    -0.012,
  )
  grass.receiveShadow = false
  g.add(grass)
  g.add(backdrop(daylight))
  const m = new THREE.Matrix4()
  const fence = new THREE.InstancedMesh(
    new THREE.BoxGeometry(0.08, 0.08, 1.15),
    new THREE.MeshLambertMaterial({ color: '#8f979c' }),
    90,
  )
  for (let i = 0; i < 90; i++) {
    const a = (i / 90) * 2 * Math.PI
    fence.setMatrixAt(i, m.makeTranslation(Math.cos(a) * 31, Math.sin(a) * 31, 0.57))
  }
  const rail = (z: number) => {
    const t = new THREE.Mesh(
      new THREE.TorusGeometry(31, 0.03, 4, 90),
      new THREE.MeshBasicMaterial({ color: '#9aa2a6' }),
    )
    t.position.z = z
    return t
  }
  g.add(fence, rail(0.35), rail(1.1))
  return g
}

/** Rods of 2 m that stand on a circle's rim, banded every half metre. */
export function rods(marks: Marks): THREE.Group {
  const g = new THREE.Group()
  for (const [name, at] of Object.entries(marks)) {
    if (!name.startsWith('rim.')) continue
    for (let i = 0; i < 4; i++) {
      const piece = new Rod(0.022, paint(i % 2 ? '#f6f2e8' : '#c8452f', 0.5))
      piece.place(V([at[0], at[1], i / 2]), V([at[0], at[1], (i + 1) / 2]))
      g.add(piece.mesh)
    }
  }
  return g
}

/** Trees all round, painted once on a far wall. */
function backdrop(daylight: string) {
  const c = document.createElement('canvas')
  c.width = 4096
  c.height = 256
  const g = c.getContext('2d')!
  const sky = g.createLinearGradient(0, 0, 0, 256)
  sky.addColorStop(0, '#bcd3e4')
  sky.addColorStop(1, '#cfdde0')
  g.fillStyle = sky
  g.fillRect(0, 0, 4096, 256)
  const r = noise(23)
  for (const [count, hues, low, size] of [
    [260, ['#9db9a4', '#a9c2a6', '#93b29c'], 70, 26],
    [300, ['#6f9a70', '#7ba574', '#648f6b'], 40, 30],
    [340, ['#3f7045', '#4b7d48', '#5a8a4c', '#356340'], 14, 30],
  ] as [number, string[], number, number][]) {
    for (let i = 0; i < count; i++) {
      const x = r() * 4096,
        y = 256 - low * r() - 8,
        s = size * (0.55 + 0.8 * r())
      for (const dx of [-4096, 0, 4096]) {
        const light = g.createRadialGradient(x + dx - s * 0.35, y - s * 0.45, s * 0.1, x + dx, y, s * 1.25)
        light.addColorStop(0, '#e8f0c855')
        light.addColorStop(0.5, '#ffffff00')
        light.addColorStop(1, '#10261855')
        for (const fill of [hues[i % hues.length], light]) {
          g.fillStyle = fill
          g.beginPath()
          g.ellipse(x + dx, y, s, s * (0.8 + (0.5 * ((i * 7) % 5)) / 5), 0, 0, 2 * Math.PI)
          g.fill()
        }
      }
    }
  }
  const map = new THREE.CanvasTexture(c)
  map.wrapS = THREE.RepeatWrapping
  map.repeat.set(2, 1)
  map.colorSpace = THREE.SRGBColorSpace
  const wall = new THREE.Mesh(
    new THREE.CylinderGeometry(58, 58, 14, 64, 1, true),
    new THREE.MeshBasicMaterial({ map, color: daylight, side: THREE.BackSide, fog: false, toneMapped: false }),
  )
  wall.rotation.x = Math.PI / 2
  wall.position.z = 6.6
  return wall
}

function lanes(g: THREE.Group, from: number, to: number, middle = 0) {
  const mid = (from + to) / 2
  g.add(
    sheet(
      to - from,
      1.22 * 6,
      new THREE.MeshLambertMaterial({ map: speckled(track, 0.25, 7, [to - from, 8]) }),
      mid,
      middle,
      0,
    ),
  )
  for (let i = -3; i <= 3; i++)
    g.add(stripe([from, middle + (i - 0.5) * 1.22], [to, middle + (i - 0.5) * 1.22], 0.05, 0.003, white))
}

function ticks(g: THREE.Group, marks: Marks, long: number) {
  for (const [name, [x, y]] of Object.entries(marks)) {
    if (name.startsWith('mark')) g.add(sheet(0.05, long, white, x, y, 0.004))
  }
}

function blocks(g: THREE.Group, front: Point, rear: Point) {
  g.add(box(0.9, 0.05, 0.02, steel, Math.min(front[0], rear[0]) + 0.28, 0, 0.02))
  const a = (48 * Math.PI) / 180
  for (const [x, y, z] of [front, rear]) {
    // the sole lies on the pedal's face, which rises backwards from the toe
    const face = box(
      0.2,
      0.13,
      0.02,
      rubber,
      x - Math.cos(a) * 0.1 - Math.sin(a) * 0.02,
      y,
      z + Math.sin(a) * 0.1 - Math.cos(a) * 0.02,
    )
    face.rotation.y = a
    g.add(
      face,
      box(0.03, 0.05, 0.14, steel, x - 0.15, y, 0.08),
      box(0.12, Math.abs(y) + 0.04, 0.02, steel, x - 0.12, y / 2, 0.03),
    )
  }
}

/** A throwing circle with its rim, half-lines, sector and a far cage. */
function circle(g: THREE.Group, diameter: number, cage: boolean) {
  const r = diameter / 2
  g.add(sheet(7, 7, new THREE.MeshLambertMaterial({ map: speckled('#a9a396', 0.2, 5, [7, 7]) }), -0.8, 0, -0.006))
  const floor = new THREE.Mesh(
    new THREE.CircleGeometry(r, 64),
    new THREE.MeshLambertMaterial({ map: speckled(concrete, 0.16, 3, [2, 2]) }),
  )
  floor.position.z = -0.002
  floor.receiveShadow = true
  const rim = new THREE.Mesh(new THREE.RingGeometry(r, r + 0.06, 64), white)
  rim.position.z = 0.004
  g.add(floor, rim)
  for (const s of [1, -1]) {
    g.add(stripe([0, s * (r + 0.06)], [0, s * (r + 0.81)], 0.05, 0.003, white))
    const a = (17.46 * Math.PI) / 180
    g.add(
      stripe(
        [(r + 0.06) * Math.cos(a), s * (r + 0.06) * Math.sin(a)],
        [40 * Math.cos(a), s * 40 * Math.sin(a)],
        0.05,
        0.002,
        white,
      ),
    )
  }
  if (!cage) return
  const post = paint('#3d464c', 0.6)
  for (const [x, y] of [
    [-5.2, -2.6],
    [-5.2, 2.6],
    [-3.2, -5.0],
    [-3.2, 5.0],
    [1.2, -6.6],
    [1.2, 6.6],
  ])
    g.add(box(0.09, 0.09, 5, post, x, y, 2.5))
}

function board(g: THREE.Group) {
  const a0 = 0.5934,
    steps = 14
  for (let i = 0; i < steps; i++) {
    const a = -a0 + (2 * a0 * (i + 0.5)) / steps
    const b = box(
      0.112,
      (1.21 / steps) * 1.03,
      0.1,
      wood,
      (1.0675 + 0.056) * Math.cos(a),
      (1.0675 + 0.056) * Math.sin(a),
      0.05,
    )
    b.rotation.z = a
    g.add(b)
  }
}

function runway(g: THREE.Group, from: number, to: number, width: number) {
  g.add(
    sheet(
      to - from,
      width,
      new THREE.MeshLambertMaterial({ map: speckled(track, 0.25, 7, [to - from, width]) }),
      (from + to) / 2,
      0,
      0,
    ),
  )
  for (const s of [1, -1]) g.add(stripe([from, (s * width) / 2], [to, (s * width) / 2], 0.05, 0.003, white))
}

/** Posts that carry a bar, and the bar. */
function standards(g: THREE.Group, near: Point, far: Point, height: number) {
  const post = paint('#e8e4da', 0.5)
  for (const [x, y] of [near, far])
    g.add(box(0.05, 0.05, height + 0.25, post, x, y, (height + 0.25) / 2), box(0.5, 0.12, 0.04, post, x, y, 0.02))
}

function bar(g: THREE.Group, a: Point, b: Point) {
  const pieces = 8
  for (let i = 0; i < pieces; i++) {
    const p = V(a).lerp(V(b), i / pieces),
      q = V(a).lerp(V(b), (i + 1) / pieces)
    g.add(new Rod(0.015, i % 2 ? paint('#f4efe4', 0.5) : paint('#c8452d', 0.5)).place(p, q))
  }
}

function mat(g: THREE.Group, x0: number, x1: number, width: number, high: number) {
  const m = box(x1 - x0, width, high, paint('#2f5f8f', 0.95), (x0 + x1) / 2, 0, high / 2)
  const top = box(x1 - x0 + 0.02, width + 0.02, 0.06, paint('#dfe4e6', 0.95), (x0 + x1) / 2, 0, high - 0.03)
  g.add(m, top)
}

/** What stands still around the athlete of an event. */
export function place(event: string, variant: string, marks: Marks): THREE.Group {
  const g = new THREE.Group()
  switch (event) {
    case 'sprint-start':
      lanes(g, -28, 32)
      g.add(stripe([0.025, -3.66], [0.025, 3.66], 0.05, 0.004, white))
      ticks(g, marks, 0.3)
      blocks(g, marks['pedal.front'], marks['pedal.rear'])
      break
    case 'running':
      if (variant === 'treadmill') {
        g.add(
          sheet(9, 9, new THREE.MeshLambertMaterial({ map: speckled('#a9a396', 0.2, 5, [9, 9]) }), 0, 0, -0.014),
        )
        g.add(
          box(2.2, 0.62, 0.02, rubber, 0, 0, -0.011),
          box(2.3, 0.08, 0.16, steel, 0, 0.39, 0.02),
          box(2.3, 0.08, 0.16, steel, 0, -0.39, 0.02),
          box(0.08, 0.9, 0.08, steel, 1.15, 0, 1.15),
          box(0.06, 0.06, 1.15, steel, 1.15, 0.42, 0.57),
          box(0.06, 0.06, 1.15, steel, 1.15, -0.42, 0.57),
        )
        break
      }
      lanes(g, -28, 32)
      ticks(g, marks, 0.3)
      break
    case 'hammer':
    case 'weight':
      circle(g, 2.135, true)
      break
    case 'discus':
      circle(g, 2.5, true)
      break
    case 'shot-glide':
    case 'shot-rotational':
      circle(g, 2.135, false)
      board(g)
      break
    case 'javelin': {
      runway(g, -34, 0, 4)
      const a = 0.2527
      for (let i = 0; i < 16; i++) {
        const p = (t: number): [number, number] => [8 * Math.cos(t) - 8, 8 * Math.sin(t)]
        g.add(stripe(p(-a + (2 * a * i) / 16), p(-a + (2 * a * (i + 1)) / 16), 0.07, 0.006, white))
      }
      for (const s of [1, -1])
        g.add(
          stripe(
            [8 * Math.cos(a) - 8, s * 8 * Math.sin(a)],
            [60 * Math.cos(a) - 8, s * 60 * Math.sin(a)],
            0.05,
            0.002,
            white,
          ),
        )
      ticks(g, marks, 0.25)
      break
    }
    case 'long-jump':
      runway(g, -34, 1, 1.22)
      g.add(sheet(0.2, 1.22, white, -0.1, 0, 0.005), sheet(0.1, 1.22, paint('#4a8f4f'), 0.05, 0, 0.005))
      g.add(
        sheet(
          9.5,
          2.9,
          new THREE.MeshLambertMaterial({ map: speckled('#dcc491', 0.35, 13, [9, 3]) }),
          5.75,
          0,
          0.002,
        ),
      )
      for (const s of [1, -1]) g.add(box(9.5, 0.08, 0.03, paint('#8f979c'), 5.75, s * 1.5, 0.005))
      ticks(g, marks, 0.25)
      break
    case 'high-jump': {
      const apron = new THREE.Mesh(
        new THREE.CircleGeometry(19, 48),
        new THREE.MeshLambertMaterial({ map: speckled(track, 0.25, 7, [30, 30]) }),
      )
      apron.position.set(-1, 0, 0)
      apron.receiveShadow = true
      g.add(apron)
      mat(g, 0.12, 4.2, 6, 0.7)
      standards(g, marks['standard.near'], marks['standard.far'], marks['bar.near'][2])
      bar(g, marks['bar.near'], marks['bar.far'])
      ticks(g, marks, 0.12)
      break
    }
    case 'pole-vault': {
      runway(g, -34, 0, 1.22)
      g.add(box(1.0, 0.5, 0.2, steel, -0.5, 0, -0.1), sheet(0.9, 0.4, rubber, -0.52, 0, 0.003))
      mat(g, 0.5, 6.2, 6, 0.8)
      for (const s of [1, -1]) {
        const wing = box(1.7, 2.4, 0.8, paint('#2f5f8f', 0.95), -0.4, s * 1.85, 0.4)
        g.add(wing)
      }
      standards(g, marks['standard.near'], marks['standard.far'], 5)
      bar(g, [marks['standard.near'][0], -2.2, 4.6], [marks['standard.near'][0], 2.2, 4.6])
      ticks(g, marks, 0.3)
      break
    }
  }
  return g
}
