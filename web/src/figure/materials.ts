// Shared bits of the simulated place: materials, textures, fixed noise.
import * as THREE from 'three'

export type Point = [number, number, number]

export const V = (p: Point) => new THREE.Vector3(...p)

export const paint = (color: string, roughness = 0.9, metalness = 0) =>
  new THREE.MeshStandardMaterial({ color, roughness, metalness })

/** Small fixed noise, the same on every run. */
export function noise(seed: number) {
  let s = seed
  return () => (s = (s * 16807) % 2147483647) / 2147483647
}

export function speckled(base: string, spread: number, seed: number, repeat: [number, number]) {
  const c = document.createElement('canvas')
  c.width = c.height = 256
  const g = c.getContext('2d')!
  g.fillStyle = base
  g.fillRect(0, 0, 256, 256)
  const r = noise(seed)
  for (let i = 0; i < 5000; i++) {
    const v = (r() - 0.5) * spread
    g.fillStyle = v > 0 ? `rgba(255,255,255,${v})` : `rgba(0,0,0,${-v})`
    g.fillRect(r() * 256, r() * 256, 1.6, 1.6)
  }
  const t = new THREE.CanvasTexture(c)
  t.wrapS = t.wrapT = THREE.RepeatWrapping
  t.repeat.set(...repeat)
  t.colorSpace = THREE.SRGBColorSpace
  return t
}

/** A flat sheet on the ground, z its height. */
export function sheet(w: number, d: number, m: THREE.Material, x: number, y: number, z: number, turn = 0) {
  const s = new THREE.Mesh(new THREE.PlaneGeometry(w, d), m)
  s.position.set(x, y, z)
  s.rotation.z = turn
  s.receiveShadow = true
  return s
}

/** A stripe from a to b on the ground. */
export function stripe(a: [number, number], b: [number, number], width: number, z: number, m: THREE.Material) {
  const dx = b[0] - a[0],
    dy = b[1] - a[1]
  return sheet(Math.hypot(dx, dy), width, m, (a[0] + b[0]) / 2, (a[1] + b[1]) / 2, z, Math.atan2(dy, dx))
}

/** A straight rod between two points. */
export class Rod {
  readonly mesh: THREE.Mesh
  constructor(radius: number, m: THREE.Material, tip = radius) {
    this.mesh = new THREE.Mesh(new THREE.CylinderGeometry(tip, radius, 1, 14), m)
    this.mesh.castShadow = true
  }
  place(a: THREE.Vector3, b: THREE.Vector3) {
    const d = b.clone().sub(a)
    this.mesh.position.copy(a).addScaledVector(d, 0.5)
    this.mesh.scale.set(1, Math.max(1e-4, d.length()), 1)
    this.mesh.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), d.normalize())
    return this.mesh
  }
}

export function box(w: number, d: number, h: number, m: THREE.Material, x: number, y: number, z: number) {
  const b = new THREE.Mesh(new THREE.BoxGeometry(w, d, h), m)
  b.position.set(x, y, z)
  b.castShadow = b.receiveShadow = true
  return b
}
