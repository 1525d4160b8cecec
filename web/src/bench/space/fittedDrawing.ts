import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { Bundle, Skeleton, type Inks, type Points } from '../../figure/skeleton'
import { stage as ink } from '../../ui/theme'
import { bodyOn, facing, middleOf, pointsOf, sight, type FittedMovement } from './fittedMovement'

/** From where the body is looked at: as the film shows it, or from a side of its own. */
export type Side = 'film' | 'above' | 'side' | 'front'

const inks: Inks = { front: ink.brick, rear: ink.sky, middle: ink.chalk }
const away = 7.5 // m
const low = 0.12 // radians: sides are seen from a little above
const turn = Math.PI / 18
const wide = 1.5 // the stage's width to its height, from which on sides need not be seen from farther
const near = 14 // px, within which a press takes a limb

/** One half of the stage: a body on its ground. */
class Half {
  readonly scene = new THREE.Scene()
  readonly body: Skeleton
  readonly bundle: Bundle

  constructor(role: (l: string) => keyof Inks, surface: FittedMovement['surface'], tall: number) {
    this.scene.add(new THREE.HemisphereLight('#ffffff', '#5a6670', 2.2))
    const sun = new THREE.DirectionalLight('#ffffff', 1.1)
    sun.position.set(-4, 3, 8)
    this.body = new Skeleton(inks, ink.arc, role, tall)
    this.bundle = new Bundle(inks, role)
    this.scene.add(sun, ground(surface), this.body.group, this.bundle.lines)
  }
}

/** The ground's lines: the circle where there is one, metres, and the way that is thrown or run. */
function ground(surface: FittedMovement['surface']): THREE.Group {
  const out = new THREE.Group()
  const dim = new THREE.LineBasicMaterial({ color: '#33424e' })
  const line = (points: [number, number][], m: THREE.Material) =>
    out.add(
      new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(points.map(([x, y]) => new THREE.Vector3(x, y, 0))),
        m,
      ),
    )
  for (let k = -3; k <= 3; k++) {
    line(
      [
        [-3, k],
        [3, k],
      ],
      dim,
    )
    line(
      [
        [k, -3],
        [k, 3],
      ],
      dim,
    )
  }
  const chalk = new THREE.LineBasicMaterial({ color: ink.chalk })
  const r = surface.across / 2
  if (surface.kind === 'circle')
    line(
      Array.from({ length: 97 }, (_, i) => [r * Math.cos((i * Math.PI) / 48), r * Math.sin((i * Math.PI) / 48)]),
      chalk,
    )
  const tip = 2.6
  line(
    [
      [r + 0.3, 0],
      [tip, 0],
      [tip - 0.2, 0.12],
      [tip, 0],
      [tip - 0.2, -0.12],
    ],
    chalk,
  )
  return out
}

/** Draws a fitted body over its picture or from any side, and the clean one beside it. */
export class FittedDrawing {
  private readonly renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true })
  private readonly turned = new THREE.PerspectiveCamera(27, 1, 0.1, 60)
  private readonly filmed = new THREE.Camera()
  private readonly controls: OrbitControls
  private readonly halves: [Half, Half]
  private readonly size: ResizeObserver
  private readonly middle: THREE.Vector3
  private side: Side = 'film'
  private frame = 0
  private beside = false
  private open = true
  private dragged = false
  private picture?: ImageBitmap

  /** Told when a drag turns the body away from the film. */
  onTurned?: () => void

  constructor(
    private readonly box: HTMLDivElement,
    private readonly paper: HTMLCanvasElement,
    private readonly movement: FittedMovement,
    private readonly film: { width: number; height: number },
    role: (l: string) => keyof Inks,
    tall: number,
  ) {
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio))
    Object.assign(this.renderer.domElement.style, { position: 'absolute', inset: '0', touchAction: 'none' })
    box.append(this.renderer.domElement)
    this.halves = [new Half(role, movement.surface, tall), new Half(role, movement.surface, tall)]
    this.middle = new THREE.Vector3(...middleOf(movement))
    this.turned.up.set(0, 0, 1)
    this.filmed.matrixAutoUpdate = false
    this.controls = new OrbitControls(this.turned, this.renderer.domElement)
    this.controls.enablePan = false
    this.controls.maxPolarAngle = 1.62
    this.controls.addEventListener('start', () => (this.dragged = true))
    this.controls.addEventListener('end', () => (this.dragged = false))
    this.controls.addEventListener('change', () => {
      if (this.dragged) this.leaveFilm()
      this.draw()
    })
    this.size = new ResizeObserver(() => {
      this.renderer.setSize(box.clientWidth, box.clientHeight)
      this.draw()
    })
    this.size.observe(box)
    this.look('film')
  }

  close() {
    this.size.disconnect()
    this.controls.dispose()
    this.renderer.dispose()
    this.renderer.domElement.remove()
  }

  show(frame: number, picture: ImageBitmap | undefined) {
    this.frame = frame
    this.picture = picture
    this.draw()
  }

  /** Whether the clean body is beside it, and what is left open is drawn. */
  with(beside: boolean, open: boolean) {
    this.beside = beside
    this.open = open
    this.draw()
  }

  look(side: Side) {
    this.side = side
    const { x, y } = this.middle
    const target = new THREE.Vector3(x, y, 0.95)
    const from = (azimuth: number, up: number) =>
      new THREE.Vector3(
        away * Math.cos(up) * Math.cos(azimuth),
        away * Math.cos(up) * Math.sin(azimuth),
        away * Math.sin(up),
      ).add(target)
    const [cx, cy, cz] = this.movement.camera
    const places: Record<Side, THREE.Vector3> = {
      film: new THREE.Vector3(cx, cy, cz).sub(target).setLength(away).add(target),
      above: from(Math.PI, 1.56),
      side: from(-Math.PI / 2, low),
      front: from(facing(this.at()), low),
    }
    this.turned.position.copy(places[side])
    this.controls.target.copy(target)
    this.controls.update()
    this.draw()
  }

  /** Turns the body by steps: to the left or right, and up or down. */
  turn(across: number, up: number) {
    this.leaveFilm()
    const s = new THREE.Spherical()
    const upright = new THREE.Quaternion().setFromUnitVectors(this.turned.up, new THREE.Vector3(0, 1, 0))
    const v = this.turned.position.clone().sub(this.controls.target).applyQuaternion(upright)
    s.setFromVector3(v)
    s.theta += across * turn
    s.phi = Math.min(1.62, Math.max(0.01, s.phi - up * turn))
    v.setFromSpherical(s).applyQuaternion(upright.invert())
    this.turned.position.copy(this.controls.target).add(v)
    this.controls.update()
    this.draw()
  }

  /** The ends of the limb near a point of the box, of those given. */
  limbAt(x: number, y: number, limbs: { from: string; to: string }[]) {
    if (!bodyOn(this.movement, this.frame)) return undefined
    const at = this.at()
    const w = this.box.clientWidth / (this.beside ? 2 : 1)
    let best: { from: string; to: string } | undefined
    let nearest = near
    for (const limb of limbs) {
      const [a, b] = [this.onBox(at[limb.from], w), this.onBox(at[limb.to], w)]
      const d = distance({ x, y }, a, b)
      if (d < nearest) [nearest, best] = [d, limb]
    }
    return best
  }

  private leaveFilm() {
    if (this.side !== 'film') return
    this.side = 'side' // any, but for the film's
    this.onTurned?.()
    this.draw()
  }

  private at(): Points {
    const p = bodyOn(this.movement, this.frame) ?? this.movement.pictures[0]
    return pointsOf(this.movement, p.at)
  }

  private onBox(p: [number, number, number], w: number) {
    const camera = this.side === 'film' ? this.filmed : this.turned
    const v = new THREE.Vector3(...p).project(camera)
    return { x: ((v.x + 1) / 2) * w, y: ((1 - v.y) / 2) * this.box.clientHeight }
  }

  private draw() {
    const { renderer, box, halves, movement } = this
    const h = box.clientHeight
    if (h === 0) return
    const shown = this.beside ? halves : halves.slice(0, 1)
    const w = box.clientWidth / shown.length
    const p = bodyOn(movement, this.frame)
    halves[0].body.group.visible = !!p
    halves[0].bundle.lines.visible = !!p && this.open
    halves[1].body.group.visible = !!p?.clean
    if (p) halves[0].body.place(pointsOf(movement, p.at))
    if (p && this.open) halves[0].bundle.place(p.draws.map((d) => pointsOf(movement, p.at, d)))
    if (p?.clean) halves[1].body.place(pointsOf(movement, p.clean))
    const rect = sight(movement, w / h)
    this.paint(w, rect)
    this.turned.aspect = w / h
    this.turned.zoom = Math.min(1, w / h / wide) // an implement goes round at both sides
    this.turned.updateProjectionMatrix()
    asFilmed(this.filmed, (p ?? movement.pictures[0]).matrix, rect)
    renderer.setScissorTest(true)
    shown.forEach((half, k) => {
      renderer.setViewport(k * w, 0, w, h)
      renderer.setScissor(k * w, 0, w, h)
      renderer.render(half.scene, this.side === 'film' ? this.filmed : this.turned)
    })
  }

  /** Puts the picture's part under the body where the film's side is looked from. */
  private paint(w: number, rect: { x: number; y: number; w: number }) {
    const { paper, box, film } = this
    const dense = devicePixelRatio
    paper.width = Math.round(box.clientWidth * dense)
    paper.height = Math.round(box.clientHeight * dense)
    if (this.side !== 'film' || !this.picture) return
    const g = paper.getContext('2d')!
    const k = (w * dense) / rect.w
    g.beginPath()
    g.rect(0, 0, w * dense, paper.height)
    g.clip()
    g.setTransform(k, 0, 0, k, -rect.x * k, -rect.y * k)
    g.imageSmoothingQuality = 'high'
    g.globalAlpha = 0.75
    g.drawImage(this.picture, 0, 0, film.width, film.height)
  }
}

/** A camera that shows a part of a picture as its matrix does. */
function asFilmed(camera: THREE.Camera, m: number[], rect: { x: number; y: number; w: number; h: number }) {
  const [front, back] = [0.5, 200]
  const row = (i: number) => m.slice(4 * i, 4 * i + 4)
  const [px, py, deep] = [row(0), row(1), row(2)]
  const x = px.map((v, j) => (2 / rect.w) * (v - rect.x * deep[j]) - deep[j])
  const y = py.map((v, j) => deep[j] - (2 / rect.h) * (v - rect.y * deep[j]))
  const z = deep.map((v) => (v * (back + front)) / (back - front))
  z[3] -= (2 * back * front) / (back - front)
  camera.projectionMatrix.set(...([...x, ...y, ...z, ...deep] as Parameters<THREE.Matrix4['set']>))
  camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert()
}

type Spot = { x: number; y: number }

/** How far a spot is from the stretch between two others. */
function distance(p: Spot, a: Spot, b: Spot): number {
  const [dx, dy] = [b.x - a.x, b.y - a.y]
  const t = Math.max(0, Math.min(1, ((p.x - a.x) * dx + (p.y - a.y) * dy) / (dx * dx + dy * dy || 1)))
  return Math.hypot(p.x - a.x - t * dx, p.y - a.y - t * dy)
}
