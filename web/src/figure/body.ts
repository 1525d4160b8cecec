// Draws a simulated athlete from its landmarks: lofted, tapered limbs over the
// true joint positions. World: x along the direction of travel, y left, z up.
import * as THREE from 'three'
import { V, type Point } from './materials'

export type Landmarks = Record<string, Point>

export type Dress = {
  skin: string
  hair: string
  vest: string
  shorts: string
  shoes: string
  bun: boolean
  build: number
  /** Vest and shorts where it is not said. */
  clothes?: 'vest' | 'tights' | 'loose'
}

const material = (color: string, roughness = 0.75) => new THREE.MeshStandardMaterial({ color, roughness })

/** Radii along a limb, as [share of its length, metres at 1.75 m height]. */
type Profile = [number, number][]

const THIGH: Profile = [
  [-0.06, 0.05],
  [0, 0.084],
  [0.2, 0.09],
  [0.5, 0.077],
  [0.8, 0.06],
  [0.95, 0.055],
  [1.03, 0.045],
  [1.06, 0.02],
]
const SHANK: Profile = [
  [-0.07, 0.02],
  [-0.03, 0.046],
  [0.04, 0.053],
  [0.22, 0.059],
  [0.4, 0.054],
  [0.7, 0.038],
  [0.92, 0.033],
  [1.02, 0.033],
]
const UPPER: Profile = [
  [-0.1, 0.02],
  [-0.03, 0.052],
  [0.1, 0.058],
  [0.4, 0.051],
  [0.75, 0.042],
  [1, 0.039],
  [1.05, 0.02],
]
const FORE: Profile = [
  [-0.06, 0.02],
  [0, 0.039],
  [0.2, 0.044],
  [0.5, 0.037],
  [0.85, 0.026],
  [1, 0.025],
  [1.03, 0.015],
]
const SHORTS: Profile = [
  [-0.05, 0.06],
  [0.02, 0.1],
  [0.25, 0.102],
  [0.46, 0.094],
  [0.47, 0.075],
]
const LOOSE_SHORTS: Profile = [
  [-0.05, 0.07],
  [0.02, 0.115],
  [0.35, 0.125],
  [0.78, 0.118],
  [0.79, 0.08],
]
const SLEEVE: Profile = [
  [-0.12, 0.03],
  [-0.02, 0.068],
  [0.3, 0.078],
  [0.62, 0.08],
  [0.63, 0.05],
]
const NECK: Profile = [
  [-0.3, 0.075],
  [0, 0.058],
  [0.6, 0.05],
  [1, 0.05],
]

class Limb {
  readonly mesh: THREE.Mesh
  constructor(
    profile: Profile,
    m: THREE.Material,
    private readonly from: string,
    private readonly to: string,
    scale: number,
    flat = 1,
  ) {
    const points = profile.map(([t, r]) => new THREE.Vector2(r * scale, t))
    const smooth = new THREE.SplineCurve(points)
      .getPoints(22)
      .map((p) => new THREE.Vector2(Math.max(0.001, p.x), p.y))
    this.mesh = new THREE.Mesh(new THREE.LatheGeometry(smooth, 18), m)
    this.mesh.userData.flat = flat
    this.mesh.castShadow = this.mesh.receiveShadow = true
  }
  place(l: Landmarks) {
    const a = V(l[this.from]),
      b = V(l[this.to])
    const d = b.clone().sub(a)
    this.mesh.position.copy(a)
    this.mesh.scale.set(1, d.length(), this.mesh.userData.flat)
    this.mesh.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), d.normalize())
  }
}

/** The trunk: rings from the hips to the shoulders, turned and widened between. */
class Trunk {
  readonly mesh: THREE.Mesh
  private readonly rings = [
    // share of the way up, half width, half depth, forward shift (m at 1.75 m)
    [-0.2, 0.07, 0.06, 0],
    [-0.12, 0.13, 0.095, -0.01],
    [0, 0.163, 0.115, -0.018],
    [0.15, 0.158, 0.11, -0.008],
    [0.38, 0.135, 0.098, 0.005],
    [0.6, 0.15, 0.112, 0.014],
    [0.8, 0.172, 0.115, 0.012],
    [0.94, 0.165, 0.092, 0.0],
    [1.04, 0.12, 0.07, -0.008],
    [1.12, 0.055, 0.052, -0.005],
  ]
  private readonly around = 26
  constructor(
    vest: THREE.Material,
    shorts: THREE.Material,
    private readonly scale: number,
  ) {
    const g = new THREE.BufferGeometry()
    const n = this.rings.length * 4 - 3
    g.setAttribute('position', new THREE.BufferAttribute(new Float32Array(n * this.around * 3), 3))
    const index: number[] = []
    for (let r = 0; r + 1 < n; r++) {
      for (let i = 0; i < this.around; i++) {
        const a = r * this.around + i,
          b = r * this.around + ((i + 1) % this.around)
        index.push(a, a + this.around, b, b, a + this.around, b + this.around)
      }
    }
    g.setIndex(index)
    const cut = 9 * this.around * 6
    g.addGroup(0, cut, 0)
    g.addGroup(cut, index.length - cut, 1)
    this.mesh = new THREE.Mesh(g, [shorts, vest])
    this.mesh.castShadow = this.mesh.receiveShadow = true
    this.mesh.frustumCulled = false
  }
  place(l: Landmarks) {
    const hl = V(l['hip.L']),
      hr = V(l['hip.R']),
      sl = V(l['shoulder.L']),
      sr = V(l['shoulder.R'])
    const hip = hl.clone().add(hr).multiplyScalar(0.5),
      sh = sl.clone().add(sr).multiplyScalar(0.5)
    const up = sh.clone().sub(hip)
    const hipAcross = hl.clone().sub(hr).normalize(),
      shAcross = sl.clone().sub(sr).normalize()
    const pos = this.mesh.geometry.getAttribute('position') as THREE.BufferAttribute
    let k = 0
    for (let r = 0; r < this.rings.length * 4 - 3; r++) {
      const f = r / 4,
        i = Math.min(this.rings.length - 2, Math.floor(f)),
        s = f - i
      const get = (c: number) => {
        const p0 = this.rings[Math.max(0, i - 1)][c],
          p1 = this.rings[i][c],
          p2 = this.rings[i + 1][c],
          p3 = this.rings[Math.min(this.rings.length - 1, i + 2)][c]
        return (
          0.5 *
          (2 * p1 +
            (p2 - p0) * s +
            (2 * p0 - 5 * p1 + 4 * p2 - p3) * s * s +
            (3 * p1 - 3 * p2 + p3 - p0) * s * s * s)
        )
      }
      const t = get(0)
      const across = hipAcross
        .clone()
        .lerp(shAcross, Math.min(1, Math.max(0, t)))
        .normalize()
      const front = across.clone().cross(up).normalize()
      const centre = hip
        .clone()
        .addScaledVector(up, t)
        .addScaledVector(front, get(3) * this.scale)
      for (let j = 0; j < this.around; j++) {
        const a = (j / this.around) * 2 * Math.PI
        const p = centre
          .clone()
          .addScaledVector(across, Math.cos(a) * get(1) * this.scale)
          .addScaledVector(front, Math.sin(a) * get(2) * this.scale)
        pos.setXYZ(k++, p.x, p.y, p.z)
      }
    }
    pos.needsUpdate = true
    this.mesh.geometry.computeVertexNormals()
  }
}

/** A group whose axes are given by landmarks each frame. */
function orient(g: THREE.Object3D, at: THREE.Vector3, x: THREE.Vector3, z: THREE.Vector3) {
  const ex = x.clone().normalize()
  const ey = z.clone().cross(ex).normalize()
  const ez = ex.clone().cross(ey)
  g.position.copy(at)
  g.quaternion.setFromRotationMatrix(new THREE.Matrix4().makeBasis(ex, ey, ez))
}

function ball(r: [number, number, number], at: [number, number, number], m: THREE.Material) {
  const s = new THREE.Mesh(new THREE.SphereGeometry(1, 18, 12), m)
  s.scale.set(...r)
  s.position.set(...at)
  s.castShadow = s.receiveShadow = true
  return s
}

function head(d: Dress, k: number) {
  const g = new THREE.Group()
  const skin = material(d.skin),
    hair = material(d.hair, 0.95),
    dark = material('#1c1512')
  // x = face, z = crown; origin at C7
  g.add(ball([0.088 * k, 0.072 * k, 0.105 * k], [0.028 * k, 0, 0.135 * k], skin))
  g.add(ball([0.062 * k, 0.055 * k, 0.06 * k], [0.055 * k, 0, 0.075 * k], skin))
  g.add(ball([0.022 * k, 0.014 * k, 0.02 * k], [0.118 * k, 0, 0.115 * k], skin))
  g.add(ball([0.094 * k, 0.08 * k, 0.09 * k], [0.008 * k, 0, 0.163 * k], hair))
  if (d.bun) g.add(ball([0.05 * k, 0.05 * k, 0.05 * k], [-0.085 * k, 0, 0.175 * k], hair))
  for (const s of [1, -1]) {
    g.add(ball([0.02 * k, 0.012 * k, 0.03 * k], [0.015 * k, s * 0.074 * k, 0.122 * k], skin))
    g.add(ball([0.008 * k, 0.01 * k, 0.008 * k], [0.105 * k, s * 0.032 * k, 0.14 * k], dark))
    g.add(ball([0.012 * k, 0.02 * k, 0.005 * k], [0.1 * k, s * 0.034 * k, 0.158 * k], hair))
  }
  g.add(ball([0.012 * k, 0.024 * k, 0.007 * k], [0.11 * k, 0, 0.07 * k], material('#8d4b42')))
  return g
}

/** The shoe back to the ball of the foot, x forward from under the ankle. */
function shoe(d: Dress, k: number) {
  const outline = new THREE.Shape()
  // side view, z up, metres at 1.75 m
  outline.moveTo(-0.075, -0.06)
  outline.bezierCurveTo(-0.085, -0.02, -0.07, 0.02, -0.052, 0.035)
  outline.lineTo(0.03, 0.03)
  outline.bezierCurveTo(0.06, 0.012, 0.1, -0.012, 0.128, -0.022)
  outline.lineTo(0.134, -0.066)
  outline.lineTo(-0.06, -0.068)
  const g = new THREE.ExtrudeGeometry(outline, {
    depth: 0.046,
    bevelEnabled: true,
    bevelSize: 0.012,
    bevelThickness: 0.02,
    bevelSegments: 2,
    curveSegments: 5,
  })
  g.translate(0, 0, -0.023)
  g.rotateX(Math.PI / 2)
  g.scale(k * 0.98, k, k * 0.98)
  const m = new THREE.Mesh(g, material(d.shoes, 0.5))
  m.castShadow = m.receiveShadow = true
  const grp = new THREE.Group()
  grp.add(m)
  const sole = new THREE.Mesh(new THREE.BoxGeometry(0.2 * k, 0.078 * k, 0.012 * k), material('#f2efe6'))
  sole.position.set(0.03 * k, 0, -0.066 * k)
  grp.add(sole)
  return grp
}

/** The shoe from the ball to the toe tip, bending with the toes. */
function toes(d: Dress, k: number) {
  const g = new THREE.Group()
  g.add(ball([0.062 * k, 0.043 * k, 0.026 * k], [0.024 * k, 0, 0.018 * k], material(d.shoes, 0.5)))
  const sole = new THREE.Mesh(new THREE.BoxGeometry(0.086 * k, 0.072 * k, 0.012 * k), material('#f2efe6'))
  sole.position.set(0.03 * k, 0, 0.001 * k)
  g.add(sole)
  return g
}

function hand(skin: THREE.Material, k: number) {
  const g = new THREE.Group()
  g.add(
    ball([0.046 * k, 0.021 * k, 0.036 * k], [0.04 * k, 0, 0], skin),
    ball([0.03 * k, 0.013 * k, 0.014 * k], [0.036 * k, 0.004 * k, 0.031 * k], skin),
  )
  for (let i = -1; i <= 2; i++)
    g.add(ball([0.026 * k, 0.0105 * k, 0.0095 * k], [0.084 * k, -0.012 * k, (i - 0.5) * 0.0175 * k], skin))
  return g
}

export class Figure {
  readonly group = new THREE.Group()
  private readonly limbs: Limb[] = []
  private readonly trunk: Trunk
  private readonly head: THREE.Group
  private readonly shoes: Record<string, THREE.Group> = {}
  private readonly toes: Record<string, THREE.Group> = {}
  private readonly hands: Record<string, THREE.Group> = {}

  constructor(dress: Dress, heightM: number) {
    const k = heightM / 1.75,
      r = k * dress.build
    const skin = material(dress.skin),
      vest = material(dress.vest),
      shorts = material(dress.shorts)
    const loose = dress.clothes === 'loose',
      tight = dress.clothes === 'tights'
    const leg = tight ? shorts : skin,
      arm = tight ? vest : skin
    for (const s of ['L', 'R']) {
      const on = (p: string) => `${p}.${s}`
      this.limbs.push(
        new Limb(THIGH, leg, on('hip'), on('knee'), r),
        new Limb(SHANK, leg, on('knee'), on('ankle'), r),
        new Limb(UPPER, arm, on('shoulder'), on('elbow'), r),
        new Limb(FORE, arm, on('elbow'), on('wrist'), r),
        new Limb(loose ? LOOSE_SHORTS : SHORTS, shorts, on('hip'), on('knee'), r),
      )
      if (loose) this.limbs.push(new Limb(SLEEVE, vest, on('shoulder'), on('elbow'), r))
      this.shoes[s] = shoe(dress, k)
      this.toes[s] = toes(dress, k)
      this.hands[s] = hand(skin, k)
      this.group.add(this.shoes[s], this.toes[s], this.hands[s])
    }
    this.limbs.push(new Limb(NECK, skin, 'midshoulder', 'neckup', k))
    this.limbs.forEach((l) => this.group.add(l.mesh))
    this.trunk = new Trunk(vest, shorts, k * (0.5 + 0.5 * dress.build) * (loose ? 1.12 : 1))
    this.head = head(dress, k)
    this.group.add(this.trunk.mesh, this.head)
  }

  place(landmarks: Landmarks) {
    const l = { ...landmarks }
    const mid = V(l['shoulder.L']).add(V(l['shoulder.R'])).multiplyScalar(0.5)
    const neck = V(l.neck),
      crown = V(l.vertex),
      up = crown.clone().sub(neck)
    l.midshoulder = mid.toArray() as Point
    l.neckup = neck.clone().addScaledVector(up, 0.45).toArray() as Point
    for (const limb of this.limbs) limb.place(l)
    this.trunk.place(l)
    const chin = V(l.chin)
    const face = chin
      .clone()
      .sub(neck)
      .addScaledVector(up, -chin.clone().sub(neck).dot(up) / up.lengthSq())
    orient(this.head, neck, face, up)
    for (const s of ['L', 'R']) {
      const ankle = V(l[`ankle.${s}`]),
        toe = V(l[`toe.${s}`]),
        heel = V(l[`heel.${s}`]),
        under = V(l[`ball.${s}`])
      const sole = under.clone().sub(heel),
        up = ankle.clone().sub(heel.clone().lerp(under, 0.37)).normalize()
      orient(this.shoes[s], ankle, sole, up.addScaledVector(sole, -up.dot(sole) / sole.lengthSq()))
      const tip = toe.clone().sub(under),
        across = up.clone().cross(sole)
      orient(this.toes[s], under, tip, tip.clone().cross(across))
      const wrist = V(l[`wrist.${s}`]),
        knuckle = V(l[`knuckle.${s}`])
      orient(this.hands[s], wrist, knuckle.clone().sub(wrist), new THREE.Vector3(0.2, s === 'L' ? 1 : -1, 0.5))
    }
  }
}
