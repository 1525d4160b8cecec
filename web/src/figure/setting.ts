// Where and in what light the simulated athlete is filmed.
import * as THREE from 'three'
import { Figure, type Landmarks } from './body'
import { box, noise, paint, type Point } from './materials'

export type Setting = {
  light?: 'noon' | 'overcast' | 'dusk'
  crowd?: boolean
  /** How long the shutter is open, and how long the picture is read out, of the time from picture to picture. */
  shutter?: number
  readout?: number
}

type Light = {
  sky: string
  haze: string
  sun: string
  strength: number
  height: number
  ground: string
  around: number
  exposure: number
  /** the tint of grass and trees */
  daylight: string
}

/** The sun's colour, strength and height, and the light from all round. */
export const lights: Record<NonNullable<Setting['light']>, Light> = {
  noon: {
    sky: '#bcd3e4',
    haze: '#c6d6dd',
    sun: '#fff1d6',
    strength: 2.9,
    height: 9.5,
    ground: '#9a6a55',
    around: 2.1,
    exposure: 1.2,
    daylight: '#ffffff',
  },
  overcast: {
    sky: '#c3c9cd',
    haze: '#c3c9cd',
    sun: '#eef2f6',
    strength: 0.7,
    height: 14,
    ground: '#8c7f78',
    around: 2.9,
    exposure: 1.05,
    daylight: '#d5d9da',
  },
  dusk: {
    sky: '#5d6a86',
    haze: '#5b6478',
    sun: '#ffb070',
    strength: 1.5,
    height: 3.2,
    ground: '#5a4038',
    around: 0.9,
    exposure: 0.85,
    daylight: '#6f6a80',
  },
}

/**
 * People and hurdles behind the athlete, painted once on a sheet as they look from where the camera stands: it turns,
 * but stays there.
 */
export function onlookers(renderer: THREE.WebGLRenderer, camera: Point, lookAt: Point, light: Light): THREE.Mesh {
  const scene = new THREE.Scene()
  const sun = new THREE.DirectionalLight(light.sun, light.strength)
  sun.position.set(camera[0], camera[1], light.height)
  sun.target.position.set(lookAt[0], lookAt[1], 0)
  scene.add(new THREE.HemisphereLight('#dfeaf5', light.ground, light.around), sun, sun.target)
  scene.add(people(camera, lookAt))
  const far = Math.hypot(lookAt[0] - camera[0], lookAt[1] - camera[1]) + 7
  const wide = 20,
    high = 5
  const eye = new THREE.PerspectiveCamera((2 * Math.atan(high / 2 / far) * 180) / Math.PI, wide / high, 1, 60)
  eye.up.set(0, 0, 1)
  eye.position.set(camera[0], camera[1], camera[2])
  eye.lookAt(lookAt[0], lookAt[1], camera[2])
  const painted = new THREE.WebGLRenderTarget(4096, 1024, { samples: 4, type: THREE.HalfFloatType })
  renderer.setClearColor('#000000', 0)
  renderer.setRenderTarget(painted)
  renderer.render(scene, eye)
  renderer.setRenderTarget(null)
  const sheet = new THREE.Mesh(
    new THREE.PlaneGeometry(wide, high),
    new THREE.MeshBasicMaterial({ map: painted.texture, alphaTest: 0.5, fog: false }),
  )
  sheet.quaternion.copy(eye.quaternion)
  sheet.position.copy(eye.position).add(new THREE.Vector3(0, 0, -far).applyQuaternion(eye.quaternion))
  return sheet
}

function people(camera: Point, lookAt: Point): THREE.Group {
  const g = new THREE.Group()
  const r = noise(41)
  const ahead = Math.atan2(lookAt[1] - camera[1], lookAt[0] - camera[0])
  const skins = ['#8a5a3c', '#c58c68', '#e0b08e', '#5e3a26']
  const shirts = ['#d9d4c7', '#3a6ea5', '#8f3b3b', '#2f8f5b', '#d9a520', '#3d4148']
  const at = (aside: number, far: number): [number, number] => [
    lookAt[0] + Math.cos(ahead) * far - Math.sin(ahead) * aside,
    lookAt[1] + Math.sin(ahead) * far + Math.cos(ahead) * aside,
  ]
  for (let i = 0; i < 12; i++) {
    const f = new Figure(
      {
        skin: skins[i % skins.length],
        hair: '#2a1d18',
        vest: shirts[i % shirts.length],
        shorts: i % 3 ? '#20242b' : '#4a4f57',
        shoes: '#e5ddca',
        bun: i % 2 === 0,
        build: 1,
        clothes: i % 2 ? 'tights' : 'loose',
      },
      1.6 + 0.25 * r(),
    )
    const [x, y] = at(-6.5 + 1.15 * i + 0.5 * r(), 6 + 3 * r())
    f.place(standing(1.6 + 0.25 * r(), x, y, 2 * Math.PI * r(), r))
    g.add(f.group)
  }
  const white = paint('#f0ece2', 0.6),
    post = paint('#59626a', 0.5)
  for (let i = 0; i < 5; i++) {
    const [x, y] = at(-5 + 2.4 * i, 5)
    const hurdle = new THREE.Group()
    hurdle.add(
      box(0.02, 1.18, 0.07, white, 0, 0, 1.03),
      box(0.03, 0.03, 1, post, 0, -0.5, 0.5),
      box(0.03, 0.03, 1, post, 0, 0.5, 0.5),
      box(0.6, 0.04, 0.03, post, 0.25, -0.5, 0.02),
      box(0.6, 0.04, 0.03, post, 0.25, 0.5, 0.02),
    )
    hurdle.position.set(x, y, 0)
    hurdle.rotation.z = ahead
    g.add(hurdle)
  }
  return g
}

/** Somebody who stands, h m tall; the heights of joints after Drillis and Contini (1966), from memory. */
function standing(h: number, x: number, y: number, facing: number, r: () => number): Landmarks {
  const put = (ahead: number, left: number, up: number): Point => [
    x + h * (Math.cos(facing) * ahead - Math.sin(facing) * left),
    y + h * (Math.sin(facing) * ahead + Math.cos(facing) * left),
    h * up,
  ]
  const l: Landmarks = {
    vertex: put(0, 0, 1),
    chin: put(0.05, 0, 0.87),
    neck: put(-0.02, 0, 0.84),
    sternum: put(0.04, 0, 0.79),
  }
  for (const [side, s] of [
    ['L', 1],
    ['R', -1],
  ] as const) {
    const swing = 0.1 * (r() - 0.5),
      bent = 0.12 * r()
    Object.assign(l, {
      [`shoulder.${side}`]: put(0, s * 0.115, 0.818),
      [`elbow.${side}`]: put(swing - 0.02, s * 0.14, 0.64),
      [`wrist.${side}`]: put(swing + bent, s * 0.13, 0.5 + bent),
      [`knuckle.${side}`]: put(swing + 1.3 * bent, s * 0.13, 0.45 + 1.2 * bent),
      [`hip.${side}`]: put(0, s * 0.055, 0.53),
      [`knee.${side}`]: put(0.01, s * 0.065, 0.285),
      [`ankle.${side}`]: put(0, s * 0.07, 0.043),
      [`heel.${side}`]: put(-0.04, s * 0.07, 0.01),
      [`ball.${side}`]: put(0.07, s * 0.08, 0.006),
      [`toe.${side}`]: put(0.11, s * 0.085, 0.006),
    })
  }
  return l
}
