// The simulated camera's picture. The clip renderer opens this page, loads a
// truth file and asks for one picture after another.
import * as THREE from 'three'
import type { Dress, Landmarks } from './body'
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
  private drawn?: { still: string; part: [number, number, number, number] }

  constructor(
    private readonly truth: Truth,
    dress: Dress,
  ) {
    const { width, height } = truth
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true })
    this.renderer.setSize(width, height, false)
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = THREE.PCFShadowMap
    this.renderer.toneMapping = THREE.ACESFilmicToneMapping
    this.renderer.toneMappingExposure = 1.2
    document.body.replaceChildren(this.renderer.domElement)
    this.camera = new THREE.PerspectiveCamera(30, width / height, 1, 160)
    this.stage = new Stage(truth, dress, 1024)
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

  draw(i: number, type: string, quality: number): string {
    const f = this.truth.frames[i],
      c = f.camera,
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
    return this.renderer.domElement.toDataURL(type, quality)
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
  load: (truth: Truth, dress: Dress) => {
    studio = new Studio(truth, dress)
    return truth.frames.length
  },
  draw: (i: number, type = 'image/jpeg', quality = 0.95) => studio.draw(i, type, quality),
})
