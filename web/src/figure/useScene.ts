import { useCallback, useEffect, useRef, useState, type RefObject } from 'react'
import * as THREE from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import type { Schemas } from '../ui/client'
import type { Dress } from './body'
import { Stage, type Truth } from './stage'

export type Motion = Schemas['Motion']

/** The last picture at or before an instant. */
export function nearest(t: Truth, at: number) {
  let n = 0
  while (n + 1 < t.frames.length && t.frames[n + 1].t <= at) n++
  return n
}

/** Draws one movement, or two side by side at the same instant, into a box. */
export function useScene(holder: RefObject<HTMLDivElement | null>, motion: Motion, beside: Motion | undefined) {
  const [broken, setBroken] = useState('')
  const drawing = useRef<Drawing>(undefined)

  useEffect(() => {
    try {
      drawing.current = new Drawing(holder.current!, motion, beside)
    } catch {
      queueMicrotask(() => setBroken('This browser draws no 3-D pictures: WebGL is off.'))
      return
    }
    return () => drawing.current?.close()
  }, [holder, motion, beside])

  return {
    broken,
    show: useCallback((picture: number) => drawing.current?.show(picture), []),
    /** Looks from any side, or again from where the camera stands. */
    orbit: useCallback((on: boolean) => drawing.current?.orbit(on), []),
  }
}

/** A renderer with its scenes and the way they are looked at. */
class Drawing {
  private renderer = new THREE.WebGLRenderer({ antialias: true })
  private camera = new THREE.PerspectiveCamera(30, 1, 0.5, 160)
  private controls: OrbitControls
  private truths: Truth[]
  private stages: Stage[]
  private picture = 0
  private size: ResizeObserver

  constructor(
    private box: HTMLDivElement,
    motion: Motion,
    beside?: Motion,
  ) {
    const { renderer, camera } = this
    renderer.shadowMap.enabled = true
    renderer.toneMapping = THREE.ACESFilmicToneMapping
    renderer.toneMappingExposure = 1.2
    renderer.setPixelRatio(Math.min(2, window.devicePixelRatio))
    box.replaceChildren(renderer.domElement)
    this.truths = [motion, ...(beside ? [beside] : [])] as unknown as Truth[]
    this.stages = [new Stage(this.truths[0], motion.dress as Dress, 1024)]
    if (beside) this.stages.push(new Stage(this.truths[1], { ...(beside.dress as Dress), vest: '#e9e2d3' }, 1024))
    camera.up.set(0, 0, 1)
    this.controls = new OrbitControls(camera, renderer.domElement)
    this.controls.enabled = false
    this.controls.maxPolarAngle = 1.55
    this.controls.addEventListener('change', () => this.draw())
    this.size = new ResizeObserver(() => {
      renderer.setSize(box.clientWidth, box.clientHeight)
      this.draw()
    })
    this.size.observe(box)
  }

  close() {
    this.size.disconnect()
    this.controls.dispose()
    this.renderer.dispose()
  }

  show(picture: number) {
    this.picture = Math.max(0, Math.min(this.truths[0].frames.length - 1, picture))
    this.draw()
  }

  orbit(on: boolean) {
    this.controls.enabled = on
    if (on) {
      const hip = this.truths[0].frames[this.picture].world['hip.L']
      this.camera.up.set(0, 0, 1)
      this.controls.target.set(hip[0], hip[1], 0.95)
      this.controls.update()
    }
    this.draw()
  }

  private draw() {
    const { renderer, camera, box, stages } = this
    const h = box.clientHeight
    const part = box.clientWidth / stages.length
    const now = this.truths[0].frames[this.picture].t
    stages.forEach((s, k) => {
      const t = this.truths[k]
      const f = t.frames[k === 0 ? this.picture : nearest(t, now)]
      if (!this.controls.enabled) this.lookAsFilmed(t, f, part / h)
      camera.aspect = part / h
      camera.updateProjectionMatrix()
      s.place(f, camera.position.toArray() as [number, number, number])
      renderer.setScissorTest(true)
      renderer.setViewport(k * part, 0, part, h)
      renderer.setScissor(k * part, 0, part, h)
      renderer.render(s.scene, camera)
    })
  }

  /** Stands where the camera of a picture stands. */
  private lookAsFilmed(t: Truth, { camera: c }: Truth['frames'][0], aspect: number) {
    const { camera } = this
    camera.position.set(...c.at)
    const steep = Math.abs(c.lookAt[2] - c.at[2]) > 50 * Math.hypot(c.lookAt[0] - c.at[0], c.lookAt[1] - c.at[1])
    camera.up.set(steep ? 1 : 0, 0, steep ? 0 : 1)
    camera.lookAt(...c.lookAt)
    const wider = Math.max(1, t.width / t.height / aspect)
    camera.fov = (2 * Math.atan((t.height / 2 / c.focal) * wider) * 180) / Math.PI
  }
}
