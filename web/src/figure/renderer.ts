// The simulated camera's picture. The clip renderer opens this page, loads a
// truth file and asks for one picture after another.
import * as THREE from 'three'
import type { Dress, Landmarks } from './body'
import type { Point } from './materials'
import { lights, onlookers, type Setting } from './setting'
import { Stage, type Frame, type Truth } from './stage'

/** The lens bends the pinhole's picture: x(1 + k1·r²) in units of the focal length. */
const lens = {
  vertexShader: 'varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
  fragmentShader: `
    varying vec2 at; uniform sampler2D map; uniform vec2 size; uniform float focal, k1, wide;
    void main() {
      vec2 d = (at - 0.5) * size / focal, u = d;
      for (int i = 0; i < 6; i++) u = d / (1.0 + k1 * dot(u, u));
      gl_FragColor = texture2D(map, u * focal / size / wide + 0.5);
      #include <tonemapping_fragment>
      #include <colorspace_fragment>
    }`,
}

const flashSeconds = 0.05

class Studio {
  private readonly renderer: THREE.WebGLRenderer
  private readonly camera: THREE.PerspectiveCamera
  private readonly stage: Stage
  private readonly bent?: {
    target: THREE.WebGLRenderTarget
    scene: THREE.Scene
    eye: THREE.OrthographicCamera
    wide: number
  }
  private readonly lamp?: THREE.Mesh
  private band?: [number, number, number, number]
  private drawn?: { still: string; part: [number, number, number, number] }

  private readonly paper = document.createElement('canvas')

  constructor(
    private readonly truth: Truth,
    dress: Dress,
    private readonly setting: Setting,
  ) {
    const { width, height } = truth
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true })
    this.renderer.setSize(width, height, false)
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = THREE.PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    this.renderer.toneMapping = THREE.ACESFilmicToneMapping
    this.renderer.toneMappingExposure = lights[setting.light ?? 'noon'].exposure
    document.body.replaceChildren(this.renderer.domElement)
    this.camera = new THREE.PerspectiveCamera(30, width / height, 1, 160)
    this.stage = new Stage(truth, dress, 1024, setting)
    const { at, lookAt } = truth.frames[0].camera
    if (setting.crowd) this.stage.scene.add(onlookers(this.renderer, at, lookAt, lights[setting.light ?? 'noon']))
    Object.assign(this.paper, { width, height })
    const { k1, focal } = truth.frames[0].camera
    if (k1) {
      const wide = 1 + (Math.abs(k1) * (width * width + height * height)) / 4 / focal / focal
      const target = new THREE.WebGLRenderTarget(Math.round(width * wide), Math.round(height * wide), {
        samples: 4,
        type: THREE.HalfFloatType,
      })
      const scene = new THREE.Scene()
      scene.add(
        new THREE.Mesh(
          new THREE.PlaneGeometry(2, 2),
          new THREE.ShaderMaterial({
            ...lens,
            uniforms: {
              map: { value: target.texture },
              size: { value: new THREE.Vector2(width, height) },
              focal: { value: focal },
              k1: { value: k1 },
              wide: { value: wide },
            },
          }),
        ),
      )
      this.bent = { target, scene, eye: new THREE.OrthographicCamera(), wide }
    }
    if (truth.event === 'sprint-start') {
      this.lamp = new THREE.Mesh(
        new THREE.SphereGeometry(0.16, 20, 14),
        new THREE.MeshBasicMaterial({ color: '#3a3f45' }),
      )
      this.lamp.position.set(0.7, truth.frames[0].camera.at[1] < 0 ? 2.6 : -2.6, 1.6)
      this.stage.scene.add(this.lamp)
    }
  }

  /** Draws anew only what has moved, as long as the camera stands still. */
  private redraw(f: Frame, width: number, height: number) {
    this.camera.updateMatrixWorld()
    if (this.band) {
      this.renderer.setScissorTest(true)
      this.renderer.setScissor(...this.band)
      this.renderer.render(this.stage.scene, this.camera)
      return
    }
    const still = JSON.stringify([f.camera, this.lit(f)]),
      part = around(this.stage, this.camera, f.world, width, height)
    const last = this.drawn
    if (last?.still === still) {
      const x = Math.max(0, Math.floor(Math.min(part[0], last.part[0]))),
        y = Math.max(0, Math.floor(Math.min(part[1], last.part[1])))
      this.renderer.setScissorTest(true)
      this.renderer.setScissor(
        x,
        y,
        Math.ceil(Math.max(part[2], last.part[2])) - x,
        Math.ceil(Math.max(part[3], last.part[3])) - y,
      )
    } else {
      this.renderer.setScissorTest(false)
    }
    this.renderer.render(this.stage.scene, this.camera)
    this.drawn = { still, part }
  }

  private lit(f: Frame) {
    return f.t >= 0 && f.t < flashSeconds
  }

  /**
   * Draws picture i. Its instant is the middle of the time that the shutter is open on its middle row; each row is
   * the mean of what it saw.
   */
  draw(i: number, type: string, quality: number): string {
    const { shutter = 0, readout = 0 } = this.setting
    this.renderer.shadowMap.needsUpdate = true
    if (!shutter && !readout) {
      this.shoot(this.truth.frames[i])
      return this.renderer.domElement.toDataURL(type, quality)
    }
    const { width, height } = this.truth
    const bands = readout ? 4 : 1,
      samples = shutter ? Math.min(5, Math.max(2, Math.ceil(8 * shutter))) : 1
    const paper = this.paper.getContext('2d')!
    for (let b = 0; b < bands; b++) {
      const top = Math.round((b * height) / bands),
        high = Math.round(((b + 1) * height) / bands) - top
      for (let s = 0; s < samples; s++) {
        this.band = bands > 1 ? [0, height - top - high, width, high] : undefined
        this.shoot(between(this.truth.frames, i + readout * middle(b, bands) + shutter * middle(s, samples)))
        paper.globalAlpha = 1 / (s + 1)
        paper.drawImage(this.renderer.domElement, 0, top, width, high, 0, top, width, high)
      }
    }
    return this.paper.toDataURL(type, quality)
  }

  private shoot(f: Frame) {
    const c = f.camera,
      { width, height } = this.truth
    const wide = this.bent?.wide ?? 1
    this.camera.fov = (2 * Math.atan((height * wide) / 2 / c.focal) * 180) / Math.PI
    this.camera.updateProjectionMatrix()
    this.camera.position.set(...c.at)
    const steep = Math.abs(c.lookAt[2] - c.at[2]) > 50 * Math.hypot(c.lookAt[0] - c.at[0], c.lookAt[1] - c.at[1])
    this.camera.up.set(steep ? 1 : 0, 0, steep ? 0 : 1)
    this.camera.lookAt(...c.lookAt)
    if (c.roll) this.camera.rotateZ((-c.roll * Math.PI) / 180)
    this.stage.place(f, c.at)
    if (this.lamp) (this.lamp.material as THREE.MeshBasicMaterial).color.set(this.lit(f) ? '#fffbe8' : '#3a3f45')
    if (this.bent) {
      this.renderer.setRenderTarget(this.bent.target)
      this.renderer.render(this.stage.scene, this.camera)
      this.renderer.setRenderTarget(null)
      this.renderer.render(this.bent.scene, this.bent.eye)
    } else {
      this.redraw(f, width, height)
    }
  }
}

/** Part k of n about the middle, from -0.5 to 0.5. */
const middle = (k: number, n: number) => (k + 0.5) / n - 0.5

/** The frame at a place between two, and a little beyond the ends. */
function between(frames: Frame[], at: number): Frame {
  const k = Math.max(0, Math.min(frames.length - 2, Math.floor(at)))
  const a = frames[k],
    b = frames[k + 1] ?? a,
    share = at - k
  const mix = (p: number, q: number) => p + share * (q - p)
  const point = (p: Point, q: Point): Point => [mix(p[0], q[0]), mix(p[1], q[1]), mix(p[2], q[2])]
  return {
    ...a,
    t: mix(a.t, b.t),
    camera: {
      ...a.camera,
      at: point(a.camera.at, b.camera.at),
      lookAt: point(a.camera.lookAt, b.camera.lookAt),
      roll: mix(a.camera.roll ?? 0, b.camera.roll ?? 0),
      focal: mix(a.camera.focal, b.camera.focal),
    },
    world: Object.fromEntries(Object.entries(a.world).map(([name, p]) => [name, point(p, b.world[name] ?? p)])),
  }
}

/** Where the athlete, the implement and their shadows are on the picture. */
function around(
  stage: Stage,
  camera: THREE.Camera,
  world: Landmarks,
  width: number,
  height: number,
): [number, number, number, number] {
  const low = new THREE.Vector2(Infinity, Infinity),
    high = new THREE.Vector2(-Infinity, -Infinity)
  const sun = stage.sun.position.clone().sub(stage.sun.target.position)
  for (const p of Object.values(world)) {
    const shadow = new THREE.Vector3(p[0] - (sun.x / sun.z) * p[2], p[1] - (sun.y / sun.z) * p[2], 0)
    for (const at of [new THREE.Vector3(...p), shadow]) {
      const q = at.project(camera)
      const v = new THREE.Vector2(((q.x + 1) / 2) * width, ((q.y + 1) / 2) * height)
      low.min(v)
      high.max(v)
    }
  }
  const margin = 0.035 * Math.max(width, height)
  return [low.x - margin, low.y - margin, high.x + margin, high.y + margin]
}

let studio: Studio
Object.assign(window, {
  load: (truth: Truth, dress: Dress, setting: Setting = {}) => {
    studio = new Studio(truth, dress, setting)
    return truth.frames.length
  },
  draw: (i: number, type = 'image/jpeg', quality = 0.95) => studio.draw(i, type, quality),
})
