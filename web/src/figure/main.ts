// The simulated camera's picture. The clip renderer opens this page, loads a
// truth file and asks for one picture after another.
import * as THREE from 'three'
import { Figure, type Dress, type Landmarks } from './body'
import { Track } from './track'

type Frame = { t: number; camera: { at: [number, number, number]; lookAt: [number, number, number]; focal: number }; world: Landmarks }
type Truth = {
  width: number
  height: number
  athlete: { height: number; front: 'L' | 'R' }
  scene: Record<string, [number, number, number]>
  frames: Frame[]
}

const flashSeconds = 0.05

class Studio {
  private readonly renderer: THREE.WebGLRenderer
  private readonly scene = new THREE.Scene()
  private readonly camera: THREE.PerspectiveCamera
  private readonly figure: Figure
  private readonly track: Track

  constructor(private readonly truth: Truth, dress: Dress) {
    const first = truth.frames[0]
    this.renderer = new THREE.WebGLRenderer({ antialias: true, preserveDrawingBuffer: true })
    this.renderer.setSize(truth.width, truth.height, false)
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = THREE.PCFSoftShadowMap
    this.renderer.toneMapping = THREE.ACESFilmicToneMapping
    this.renderer.toneMappingExposure = 1.2
    document.body.replaceChildren(this.renderer.domElement)

    this.scene.background = new THREE.Color('#bcd3e4')
    this.scene.fog = new THREE.Fog('#c6d6dd', 24, 70)
    const fov = (2 * Math.atan(truth.height / 2 / first.camera.focal) * 180) / Math.PI
    this.camera = new THREE.PerspectiveCamera(fov, truth.width / truth.height, 1, 120)
    this.camera.up.set(0, 0, 1)

    const far = first.camera.at[1] < 0 ? 1 : -1
    this.scene.add(new THREE.HemisphereLight('#dfeaf5', '#9a6a55', 2.1))
    const sun = new THREE.DirectionalLight('#fff1d6', 2.9)
    sun.position.set(-3, -far * 7, 9)
    sun.target.position.set(1.5, 0, 0.5)
    sun.castShadow = true
    sun.shadow.mapSize.set(2048, 2048)
    Object.assign(sun.shadow.camera, { left: -5, right: 6, top: 4, bottom: -4, near: 1, far: 30 })
    sun.shadow.bias = -0.0006
    sun.shadow.radius = 4
    this.scene.add(sun, sun.target)

    const front = truth.athlete.front, rear = front === 'L' ? 'R' : 'L'
    const marks = Object.entries(truth.scene).filter(([name]) => name.startsWith('mark')).map(([, at]) => at)
    this.track = new Track({ front: first.world[`toe.${front}`], rear: first.world[`toe.${rear}`], pitch: 48 }, marks, far)
    this.figure = new Figure(dress, truth.athlete.height)
    this.scene.add(this.track.group, this.figure.group)
  }

  draw(i: number, type: string, quality: number): string {
    const f = this.truth.frames[i]
    this.camera.position.set(...f.camera.at)
    this.camera.lookAt(...f.camera.lookAt)
    this.figure.place(f.world)
    this.track.flash(f.t >= 0 && f.t < flashSeconds)
    this.renderer.render(this.scene, this.camera)
    return this.renderer.domElement.toDataURL(type, quality)
  }
}

let studio: Studio
Object.assign(window, {
  load: (truth: Truth, dress: Dress) => {
    studio = new Studio(truth, dress)
    return truth.frames.length
  },
  draw: (i: number, type = 'image/jpeg', quality = 0.95) => studio.draw(i, type, quality),
})
