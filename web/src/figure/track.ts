// The track on which the simulated camera films: lanes, blocks, a starter's
// lamp, grass, a fence and trees.
import * as THREE from 'three'

export type Pedals = { front: [number, number, number]; rear: [number, number, number]; pitch: number }

const flat = (w: number, d: number, color: string, x: number, y: number, z: number) => {
  const m = new THREE.Mesh(new THREE.PlaneGeometry(w, d), new THREE.MeshStandardMaterial({ color, roughness: 0.95 }))
  m.position.set(x, y, z)
  m.receiveShadow = true
  return m
}

/** Small fixed noise, the same on every run. */
function noise(seed: number) {
  let s = seed
  return () => ((s = (s * 16807) % 2147483647) / 2147483647)
}

function speckled(base: string, spread: number, seed: number) {
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
  t.colorSpace = THREE.SRGBColorSpace
  return t
}

export class Track {
  readonly group = new THREE.Group()
  private readonly lamp: THREE.MeshStandardMaterial
  private readonly glow: THREE.Mesh

  /** far is +1 when the far side of the lane is at +y. */
  constructor(pedals: Pedals, marks: [number, number, number][], far: number) {
    const ground = new THREE.Mesh(new THREE.PlaneGeometry(60, 12), new THREE.MeshStandardMaterial({ map: speckled('#b5482f', 0.25, 7), roughness: 0.95 }))
    ;(ground.material as THREE.MeshStandardMaterial).map!.repeat.set(60, 12)
    ground.position.set(2, -far * 2.2, 0)
    ground.receiveShadow = true
    this.group.add(ground)
    const lane = 1.22
    for (let i = -4; i <= 2; i++) this.group.add(flat(60, 0.05, '#f4efe4', 2, far * (i + 0.5) * lane, 0.002))
    this.group.add(flat(0.05, lane * 6, '#f4efe4', 0.025, -far * lane, 0.003))
    for (const [x] of marks) {
      this.group.add(flat(0.05, 0.3, '#fdfbf5', x, 0, 0.004))
    }
    const grass = flat(80, 30, '#ffffff', 2, far * 18.8, 0.001)
    ;(grass.material as THREE.MeshStandardMaterial).map = speckled('#4f8a45', 0.3, 11)
    ;(grass.material as THREE.MeshStandardMaterial).map!.repeat.set(80, 30)
    this.group.add(grass)
    this.fence(far)
    this.trees(far)
    this.blocks(pedals)

    this.lamp = new THREE.MeshStandardMaterial({ color: '#3a3f45', emissive: '#ffffff', emissiveIntensity: 0 })
    const post = new THREE.Mesh(new THREE.CylinderGeometry(0.025, 0.03, 1.5, 12), new THREE.MeshStandardMaterial({ color: '#454b52' }))
    post.rotation.x = Math.PI / 2
    post.position.set(0.7, far * 2.6, 0.75)
    const box = new THREE.Mesh(new THREE.BoxGeometry(0.24, 0.14, 0.24), this.lamp)
    box.position.set(0.7, far * 2.6, 1.6)
    this.glow = new THREE.Mesh(new THREE.CircleGeometry(0.34, 32), new THREE.MeshBasicMaterial({ color: '#fff6d8', transparent: true, opacity: 0.85 }))
    this.glow.position.set(0.7, far * 2.45, 1.6)
    this.glow.rotation.set(far > 0 ? Math.PI / 2 : -Math.PI / 2, 0, 0)
    this.group.add(post, box, this.glow)
    this.flash(false)
  }

  flash(on: boolean) {
    this.lamp.emissiveIntensity = on ? 4 : 0
    this.glow.visible = on
  }

  private fence(far: number) {
    const m = new THREE.MeshStandardMaterial({ color: '#8f979c', roughness: 0.6 })
    for (let x = -14; x <= 18; x += 2) {
      const p = new THREE.Mesh(new THREE.BoxGeometry(0.07, 0.07, 1.15), m)
      p.position.set(x, far * 8, 0.57)
      this.group.add(p)
    }
    for (const z of [0.3, 1.1]) {
      const r = new THREE.Mesh(new THREE.BoxGeometry(34, 0.05, 0.05), m)
      r.position.set(2, far * 8, z)
      this.group.add(r)
    }
  }

  private trees(far: number) {
    const r = noise(23)
    const hues = ['#2f5f33', '#3c7140', '#57863f', '#2a5638', '#47793a']
    for (let i = 0; i < 150; i++) {
      const crown = new THREE.Mesh(new THREE.IcosahedronGeometry(0.45 + r() * 0.7, 3), new THREE.MeshStandardMaterial({ color: hues[i % hues.length], roughness: 1 }))
      crown.scale.set(1, 1, 0.9 + r() * 0.5)
      crown.position.set(-13 + i * 0.2 + r(), far * (26 + r() * 8), 0.4 + r() * r() * 2.6)
      this.group.add(crown)
    }
  }

  private blocks(p: Pedals) {
    const steel = new THREE.MeshStandardMaterial({ color: '#5a6168', roughness: 0.4, metalness: 0.4 })
    const rubber = new THREE.MeshStandardMaterial({ color: '#23272b', roughness: 0.9 })
    const add = (g: THREE.BufferGeometry, m: THREE.Material, x: number, y: number, z: number) => {
      const o = new THREE.Mesh(g, m)
      o.position.set(x, y, z)
      o.castShadow = o.receiveShadow = true
      this.group.add(o)
      return o
    }
    add(new THREE.BoxGeometry(0.9, 0.05, 0.02), steel, Math.min(p.front[0], p.rear[0]) + 0.28, 0, 0.02)
    for (const [x, y, z] of [p.front, p.rear]) {
      // the sole lies on the pedal's face, which rises backwards from the toe
      const a = (p.pitch * Math.PI) / 180
      const face = new THREE.Mesh(new THREE.BoxGeometry(0.2, 0.13, 0.02), rubber)
      face.position.set(x - Math.cos(a) * 0.1 - Math.sin(a) * 0.02, y, z + Math.sin(a) * 0.1 - Math.cos(a) * 0.02)
      face.rotation.y = a
      face.castShadow = face.receiveShadow = true
      this.group.add(face)
      add(new THREE.BoxGeometry(0.03, 0.05, 0.14), steel, x - 0.15, y, 0.08)
      add(new THREE.BoxGeometry(0.12, Math.abs(y) + 0.04, 0.02), steel, x - 0.12, y / 2, 0.03)
    }
  }
}
