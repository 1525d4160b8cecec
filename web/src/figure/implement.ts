// The implements, placed from their named points of the truth.
import * as THREE from 'three'
import { Rod, V, paint, type Point } from './materials'

type World = Record<string, Point>

export interface Implement {
  readonly group: THREE.Group
  place(w: World): void
}

const iron = paint('#2f353a', 0.35, 0.6)

class Ball implements Implement {
  readonly group = new THREE.Group()
  private readonly ball: THREE.Mesh
  private readonly wire = new Rod(0.006, paint('#9aa2a6', 0.4, 0.6))
  private readonly handle = new Rod(0.014, paint('#3d464c', 0.5))
  constructor(
    radius: number,
    color: string,
    private readonly wired: boolean,
  ) {
    this.ball = new THREE.Mesh(new THREE.SphereGeometry(radius, 28, 20), color ? paint(color, 0.4, 0.3) : iron)
    this.ball.castShadow = true
    this.group.add(this.ball)
    if (wired) this.group.add(this.wire.mesh, this.handle.mesh)
  }
  place(w: World) {
    const at = V(w.implement)
    this.ball.position.copy(at)
    if (!this.wired) return
    const grip = V(w.grip),
      u = at.clone().sub(grip).normalize()
    this.wire.place(grip, at)
    const side = new THREE.Vector3(-u.y, u.x, 0.01).normalize()
    this.handle.place(grip.clone().addScaledVector(side, -0.055), grip.clone().addScaledVector(side, 0.055))
  }
}

class Disc implements Implement {
  readonly group = new THREE.Group()
  constructor() {
    const profile = [
      [0, 0.023],
      [0.35, 0.022],
      [0.9, 0.012],
      [1, 0.004],
      [1, -0.004],
      [0.9, -0.012],
      [0.35, -0.022],
      [0, -0.023],
    ].map(([r, z]) => new THREE.Vector2(Math.max(0.0001, r), z))
    const body = new THREE.Mesh(new THREE.LatheGeometry(profile, 40), paint('#c9a35b', 0.6))
    const rim = new THREE.Mesh(new THREE.TorusGeometry(0.985, 0.012, 8, 40), iron)
    rim.rotation.x = Math.PI / 2
    body.castShadow = rim.castShadow = true
    this.group.add(body, rim)
  }
  place(w: World) {
    const at = V(w.implement),
      ahead = V(w['implement.front']).sub(at),
      out = V(w['implement.edge']).sub(at)
    const r = ahead.length()
    const x = ahead.clone().normalize(),
      z = out.clone().normalize(),
      y = z.clone().cross(x)
    this.group.position.copy(at)
    this.group.quaternion.setFromRotationMatrix(new THREE.Matrix4().makeBasis(x, y, x.clone().cross(y)))
    this.group.scale.set(r, 1, r)
  }
}

class Javelin implements Implement {
  readonly group = new THREE.Group()
  private readonly fore = new Rod(0.0135, paint('#e6e1d4', 0.4), 0.003)
  private readonly aft = new Rod(0.0135, paint('#e6e1d4', 0.4), 0.004)
  private readonly cord = new Rod(0.017, paint('#3a6ea5', 0.9))
  constructor() {
    this.group.add(this.fore.mesh, this.aft.mesh, this.cord.mesh)
  }
  place(w: World) {
    const grip = V(w.grip),
      front = V(w['implement.front']),
      back = V(w['implement.back'])
    const u = front.clone().sub(back).normalize()
    this.fore.place(grip, front)
    this.aft.place(grip, back)
    this.cord.place(grip.clone().addScaledVector(u, -0.09), grip.clone().addScaledVector(u, 0.07))
  }
}

class Pole implements Implement {
  readonly group = new THREE.Group()
  private readonly rods = Array.from(
    { length: 14 },
    (_, i) => new Rod(0.019, i % 7 === 3 ? paint('#d9a520', 0.5) : paint('#49555c', 0.5)),
  )
  constructor() {
    this.rods.forEach((r) => this.group.add(r.mesh))
  }
  place(w: World) {
    const at = [
      w['pole.bottom'],
      ...Array.from({ length: 11 }, (_, i) => w[`pole.${i + 1}`]),
      w.grip,
      w['pole.top'],
    ].map(V)
    this.rods.forEach((r, i) => (r.mesh.visible = i + 1 < at.length) && r.place(at[i], at[i + 1]))
  }
}

export function implement(event: string): Implement | undefined {
  switch (event) {
    case 'hammer':
      return new Ball(0.058, '', true)
    case 'weight':
      return new Ball(0.082, '#7c3b2b', true)
    case 'shot-glide':
    case 'shot-rotational':
      return new Ball(0.06, '', false)
    case 'discus':
      return new Disc()
    case 'javelin':
      return new Javelin()
    case 'pole-vault':
      return new Pole()
  }
}
