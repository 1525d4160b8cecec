import { Box, Flex, Text } from '@chakra-ui/react'
import { useEffect, useMemo, useRef, useState } from 'react'
import * as THREE from 'three'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import type { Dress } from './body'
import { Stage, type Truth } from './stage'
import { Button, Pills } from '../ui/Button'
import type { Schemas } from '../ui/client'

export type Motion = Schemas['Motion']

/** The passes: as fast as it was, slowed, picture by picture, slower still. */
const passes: [string, string, number][] = [
  ['real', 'Real', 1],
  ['slow', '¼', 0.25],
  ['step', 'Step', 0],
  ['slower', '⅛', 0.125],
]

/** A simulated movement, live: from where the camera stands, or from any side. */
export function LiveStage({
  motion,
  beside,
  onTime,
  mark,
  label,
  at,
}: {
  motion: Motion
  beside?: Motion
  onTime?: (t: number) => void
  mark?: { t: number; says: string }[]
  label: string
  at?: number
}) {
  const holder = useRef<HTMLDivElement>(null)
  const [pass, setPass] = useState('real')
  const [free, setFree] = useState(false)
  const [i, setI] = useState(0)
  const [run, setRun] = useState(at === undefined)
  const [broken, setBroken] = useState('')
  const last = motion.frames.length - 1
  const show = useRef<(i: number) => void>(() => {})
  const first = (motion.frames[0] as unknown as Truth['frames'][0]).t
  const times = useMemo(() => motion.frames.map((f) => (f as unknown as Truth['frames'][0]).t), [motion])
  const speed = passes.find((p) => p[0] === pass)![2]

  useEffect(() => {
    setI(0)
    setRun(at === undefined)
  }, [motion]) // eslint-disable-line react-hooks/exhaustive-deps
  useEffect(() => {
    if (at === undefined) return
    setRun(false)
    setI(nearest(motion as unknown as Truth, at))
  }, [motion, at])

  useEffect(() => {
    const box = holder.current!
    const truth = motion as unknown as Truth,
      other = beside as unknown as Truth | undefined
    let renderer: THREE.WebGLRenderer
    try {
      renderer = new THREE.WebGLRenderer({ antialias: true })
    } catch {
      setBroken('This browser draws no 3-D pictures: WebGL is off.')
      return
    }
    renderer.shadowMap.enabled = true
    renderer.toneMapping = THREE.ACESFilmicToneMapping
    renderer.toneMappingExposure = 1.2
    renderer.setPixelRatio(Math.min(2, window.devicePixelRatio))
    box.replaceChildren(renderer.domElement)
    const stages = [
      new Stage(truth, motion.dress as Dress, 1024),
      ...(other ? [new Stage(other, { ...(beside!.dress as Dress), vest: '#e9e2d3' }, 1024)] : []),
    ]
    const camera = new THREE.PerspectiveCamera(30, 1, 0.5, 160)
    camera.up.set(0, 0, 1)
    const controls = new OrbitControls(camera, renderer.domElement)
    controls.enabled = false
    controls.maxPolarAngle = 1.55
    let at = 0
    const draw = () => {
      const w = box.clientWidth,
        h = box.clientHeight,
        part = w / stages.length
      stages.forEach((s, k) => {
        const t = k === 0 ? truth : other!
        const n = k === 0 ? at : nearest(t, truth.frames[at].t)
        const f = t.frames[n],
          c = f.camera
        if (!controls.enabled) {
          camera.position.set(...c.at)
          const steep =
            Math.abs(c.lookAt[2] - c.at[2]) > 50 * Math.hypot(c.lookAt[0] - c.at[0], c.lookAt[1] - c.at[1])
          camera.up.set(steep ? 1 : 0, 0, steep ? 0 : 1)
          camera.lookAt(...c.lookAt)
          camera.fov =
            (2 * Math.atan((t.height / 2 / c.focal) * Math.max(1, t.width / t.height / (part / h))) * 180) / Math.PI
        }
        camera.aspect = part / h
        camera.updateProjectionMatrix()
        s.place(f, camera.position.toArray() as [number, number, number])
        renderer.setScissorTest(true)
        renderer.setViewport(k * part, 0, part, h)
        renderer.setScissor(k * part, 0, part, h)
        renderer.render(s.scene, camera)
      })
    }
    controls.addEventListener('change', draw)
    show.current = (n) => {
      at = Math.max(0, Math.min(truth.frames.length - 1, n))
      draw()
    }
    const size = new ResizeObserver(() => {
      renderer.setSize(box.clientWidth, box.clientHeight)
      draw()
    })
    size.observe(box)
    orbit.current = (on) => {
      controls.enabled = on
      if (on) {
        const hip = truth.frames[at].world['hip.L']
        camera.up.set(0, 0, 1)
        controls.target.set(hip[0], hip[1], 0.95)
        controls.update()
      }
      draw()
    }
    return () => {
      size.disconnect()
      controls.dispose()
      renderer.dispose()
    }
  }, [motion, beside])
  const orbit = useRef<(on: boolean) => void>(() => {})

  useEffect(() => {
    show.current(i)
    onTime?.(times[i] ?? first)
  }, [i, motion, beside]) // eslint-disable-line react-hooks/exhaustive-deps

  useEffect(() => {
    if (!run || speed === 0) return
    const from = i >= last ? 0 : i
    const started = performance.now()
    let id = 0
    const tick = () => {
      const t = times[from] + ((performance.now() - started) / 1000) * speed
      let n = from
      while (n < last && times[n + 1] <= t) n++
      setI(n)
      if (n < last) id = requestAnimationFrame(tick)
      else setRun(false)
    }
    id = requestAnimationFrame(tick)
    return () => cancelAnimationFrame(id)
  }, [run, speed, motion]) // eslint-disable-line react-hooks/exhaustive-deps

  const step = (d: number) => {
    setRun(false)
    setI((n) => Math.max(0, Math.min(last, n + d)))
  }
  useEffect(() => {
    const on = (e: KeyboardEvent) => {
      if (
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        (e.target as HTMLElement).closest('input, textarea, select, [role=dialog]')
      )
        return
      const k = e.key.toLowerCase()
      if (k === 's') step(-1)
      else if (k === 'd') step(1)
      else if (k === ' ' && !(e.target as HTMLElement).closest('button')) setRun((r) => !r)
      else if (passes['1234'.indexOf(k)]) setPass(passes['1234'.indexOf(k)][0])
      else return
      e.preventDefault()
    }
    addEventListener('keydown', on)
    return () => removeEventListener('keydown', on)
  })

  return (
    <Box>
      <Box
        ref={holder}
        role="img"
        aria-label={label}
        bg="stage"
        borderRadius="10px"
        overflow="hidden"
        w="100%"
        h="min(56vh, 470px)"
        cursor={free ? 'grab' : 'default'}
      />
      {broken && (
        <Text role="alert" color="plum">
          {broken}
        </Text>
      )}
      <Flex mt="8px" gap="10px" align="center" wrap="wrap">
        <Button
          aria-label={run && speed ? 'Stop' : 'Run'}
          onClick={() => (speed === 0 ? step(1) : setRun(!run))}
          w="74px"
        >
          {speed === 0 ? 'Next' : run ? 'Stop' : 'Run'}
        </Button>
        <Button aria-label="One picture back" onClick={() => step(-1)}>
          S ‹
        </Button>
        <Button aria-label="One picture on" onClick={() => step(1)}>
          › D
        </Button>
        <Pills
          label="Pass"
          options={passes.map(([id, text]) => [id, text])}
          value={pass}
          onPick={(p) => {
            setPass(p)
            setRun(true)
          }}
        />
        <Box flex="1" minW="160px" position="relative">
          <input
            type="range"
            aria-label="Time"
            min={0}
            max={last}
            value={i}
            style={{ width: '100%', accentColor: 'var(--chakra-colors-ink)' }}
            onChange={(e) => {
              setRun(false)
              setI(Number(e.currentTarget.value))
            }}
          />
          {mark?.map((m) => (
            <Box
              key={m.says}
              position="absolute"
              top="16px"
              left={`calc(${(100 * (m.t - first)) / Math.max(0.001, times[last] - first)}% - 1px)`}
              w="2px"
              h="9px"
              bg="brick"
              title={m.says}
            />
          ))}
        </Box>
        <Text fontVariantNumeric="tabular-nums" w="72px" textAlign="right">
          {(times[i] ?? first).toFixed(2)} s
        </Text>
        <Pills
          label="From where"
          options={[
            ['camera', 'the camera'],
            ['free', 'any side'],
          ]}
          value={free ? 'free' : 'camera'}
          onPick={(v) => {
            setFree(v === 'free')
            orbit.current(v === 'free')
          }}
        />
      </Flex>
    </Box>
  )
}

function nearest(t: Truth, at: number) {
  let n = 0
  while (n + 1 < t.frames.length && t.frames[n + 1].t <= at) n++
  return n
}
