// A simulated athlete in their place: what the clip renderer films and what
// the app shows live.
import * as THREE from 'three'
import { Figure, type Dress, type Landmarks } from './body'
import { implement, type Implement } from './implement'
import { place, rods, surroundings, type Marks } from './facility'
import { lights, type Setting } from './setting'

export type Frame = {
  t: number
  rods?: boolean
  camera: {
    at: [number, number, number]
    lookAt: [number, number, number]
    roll?: number
    focal: number
    k1?: number
  }
  world: Landmarks
}
export type Truth = {
  event: string
  variant: string
  width: number
  height: number
  athlete: { height: number }
  scene: Marks
  frames: Frame[]
}

export class Stage {
  readonly scene = new THREE.Scene()
  readonly sun = new THREE.DirectionalLight()
  private readonly sunHeight: number
  private readonly figure: Figure
  private readonly thing?: Implement
  private readonly rods: THREE.Group

  constructor(truth: Truth, dress: Dress, detail: number, setting: Setting = {}) {
    const light = lights[setting.light ?? 'noon']
    this.scene.background = new THREE.Color(light.sky)
    this.scene.fog = new THREE.Fog(light.haze, 30, 95)
    this.scene.add(new THREE.HemisphereLight('#dfeaf5', light.ground, light.around))
    this.sun.color.set(light.sun)
    this.sun.intensity = light.strength
    this.sunHeight = light.height
    this.sun.castShadow = true
    this.sun.shadow.mapSize.set(detail, detail)
    Object.assign(this.sun.shadow.camera, { left: -4.5, right: 4.5, top: 4.5, bottom: -4.5, near: 1, far: 30 })
    this.sun.shadow.bias = -0.0006
    this.sun.shadow.radius = 4
    this.scene.add(this.sun, this.sun.target)
    this.scene.add(surroundings(light.daylight), place(truth.event, truth.variant, truth.scene))
    this.figure = new Figure(dress, truth.athlete.height)
    this.scene.add(this.figure.group)
    this.thing = implement(truth.event)
    if (this.thing) this.scene.add(this.thing.group)
    this.rods = rods(truth.scene)
    this.scene.add(this.rods)
    this.place(truth.frames[0], truth.frames[0].camera.at)
  }

  /** Moves the athlete; the sun stands over the camera's shoulder. */
  place({ world, rods }: Pick<Frame, 'world' | 'rods'>, camera: [number, number, number]) {
    this.rods.visible = !!rods
    this.figure.place(world)
    this.thing?.place(world)
    const hip = new THREE.Vector3(...world['hip.L']).add(new THREE.Vector3(...world['hip.R'])).multiplyScalar(0.5)
    const back = new THREE.Vector3(camera[0] - hip.x, camera[1] - hip.y, 0).normalize()
    this.sun.target.position.set(hip.x, hip.y, 0.8)
    this.sun.position.set(hip.x + back.x * 6 - back.y * 4, hip.y + back.y * 6 + back.x * 4, this.sunHeight)
  }
}
