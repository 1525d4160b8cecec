// A body as a figure of rods in space, in the colours of the roles.
import * as THREE from 'three'
import { bones } from '../ui/body.gen'
import { Rod, V, type Point } from './materials'

export type Points = Record<string, Point>
export type Inks = Record<'front' | 'rear' | 'middle', string>
type Role = (landmark: string) => keyof Inks

const limb = 0.022 // m
const line = 0.03 // of shoulders and hips, which are read from above

const limbs = bones.map(([a, b]): [string, string] => [a, b])
const crosses = (a: string, b: string) => a.split('.')[0] === b.split('.')[0]

/** The rods of a body, its head, and what it throws. */
export class Skeleton {
  readonly group = new THREE.Group()
  private readonly rods: { ends: [string, string]; rod: Rod }[]
  private readonly head: THREE.Mesh
  private readonly ball: THREE.Mesh

  constructor(inks: Inks, accent: string, role: Role, tall: number) {
    const paint = (c: string) => new THREE.MeshLambertMaterial({ color: c, emissive: c, emissiveIntensity: 0.45 })
    const paints = { front: paint(inks.front), rear: paint(inks.rear), middle: paint(inks.middle) }
    const bright = paint(accent)
    this.rods = limbs.map(([a, b]) => {
      const of = role(a) === role(b) ? role(a) : 'middle'
      const rod = new Rod(crosses(a, b) ? line : limb, crosses(a, b) ? bright : paints[of])
      this.group.add(rod.mesh)
      return { ends: [a, b], rod }
    })
    this.head = new THREE.Mesh(new THREE.SphereGeometry(0.058 * tall, 20, 14), paints.middle)
    this.ball = new THREE.Mesh(new THREE.SphereGeometry(0.06, 18, 12), bright)
    this.group.add(this.head, this.ball)
  }

  place(at: Points) {
    for (const { ends, rod } of this.rods) {
      const [a, b] = ends.map((l) => at[l])
      rod.mesh.visible = !!a && !!b
      if (a && b) rod.place(V(a), V(b))
    }
    const low = at.chin ?? at.neck
    this.head.visible = !!low && !!at.vertex
    if (this.head.visible) this.head.position.copy(V(low)).lerp(V(at.vertex), 0.5)
    this.ball.visible = !!at.implement
    if (at.implement) this.ball.position.copy(V(at.implement))
  }
}

/** Many bodies as faint lines: what is left open. */
export class Bundle {
  readonly lines: THREE.LineSegments
  private readonly geometry = new THREE.BufferGeometry()

  constructor(inks: Inks, role: Role) {
    this.lines = new THREE.LineSegments(
      this.geometry,
      new THREE.LineBasicMaterial({ vertexColors: true, transparent: true, opacity: 0.4, depthWrite: false }),
    )
    this.lines.frustumCulled = false
    this.colourOf = (a, b) => new THREE.Color(inks[role(a) === role(b) ? role(a) : 'middle'])
  }
  private readonly colourOf: (a: string, b: string) => THREE.Color

  place(bodies: Points[]) {
    const places: number[] = []
    const colours: number[] = []
    for (const at of bodies)
      for (const [a, b] of [...limbs, ['neck', 'vertex']])
        if (at[a] && at[b]) {
          places.push(...at[a], ...at[b])
          const c = this.colourOf(a, b).toArray()
          colours.push(...c, ...c)
        }
    this.geometry.setAttribute('position', new THREE.Float32BufferAttribute(places, 3))
    this.geometry.setAttribute('color', new THREE.Float32BufferAttribute(colours, 3))
  }
}
