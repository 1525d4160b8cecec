import { Box, Flex, Text } from '@chakra-ui/react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Button, Pills } from '../ui/Button'
import type { Truth } from './stage'
import { nearest, useScene, type Motion } from './useScene'

const passes: [string, string, number][] = [
  ['real', 'Real', 1],
  ['slow', '¼', 0.25],
  ['step', 'Step', 0],
  ['slower', '⅛', 0.125],
]

type Props = {
  motion: Motion
  /** Another movement at its right, at the same instant. */
  beside?: Motion
  onTime?: (t: number) => void
  mark?: { t: number; says: string }[]
  label: string
  /** The instant that is held, s; without one it runs. */
  at?: number
}

/** A simulated movement, live: from where the camera stands, or from any side. */
export function LiveStage({ motion, beside, onTime, mark, label, at }: Props) {
  const holder = useRef<HTMLDivElement>(null)
  const { broken, show, orbit } = useScene(holder, motion, beside)
  const [free, setFree] = useState(false)
  const { i, times, last, run, pass, speed, setRun, choosePass, step, jump } = usePlayback(motion, at)
  const first = times[0]

  useEffect(() => {
    show(i)
    onTime?.(times[i] ?? first)
    // Another movement is drawn at the same picture.
  }, [i, motion, beside, show, onTime, times, first])

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
            choosePass(p)
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
              jump(Number(e.currentTarget.value))
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
            orbit(v === 'free')
          }}
        />
      </Flex>
    </Box>
  )
}

/** Which picture of a movement is shown, and running through it at a share of real speed. */
function usePlayback(motion: Motion, at: number | undefined) {
  const [held, setHeld] = useState({ motion, at })
  const [i, setI] = useState(at === undefined ? 0 : nearest(motion as unknown as Truth, at))
  const [run, setRun] = useState(at === undefined)
  const [pass, setPass] = useState('real')
  const last = motion.frames.length - 1
  const times = useMemo(() => (motion as unknown as Truth).frames.map((f) => f.t), [motion])
  const speed = passes.find((p) => p[0] === pass)![2]
  if (held.motion !== motion || held.at !== at) {
    setHeld({ motion, at })
    setI(at === undefined ? 0 : nearest(motion as unknown as Truth, at))
    setRun(at === undefined)
  }

  const from = useRef(i)
  useEffect(() => {
    if (!run) from.current = i
  }, [run, i])
  useEffect(() => {
    if (!run || speed === 0) return
    const start = from.current >= last ? 0 : from.current
    const began = performance.now()
    let id = 0
    const tick = () => {
      const t = times[start] + ((performance.now() - began) / 1000) * speed
      let n = start
      while (n < last && times[n + 1] <= t) n++
      setI(n)
      from.current = n
      if (n < last) id = requestAnimationFrame(tick)
      else setRun(false)
    }
    id = requestAnimationFrame(tick)
    return () => cancelAnimationFrame(id)
  }, [run, speed, times, last])

  const jump = (n: number) => {
    setRun(false)
    setI(Math.max(0, Math.min(last, n)))
  }
  const step = (by: number) => jump(i + by)
  useEffect(() => {
    const on = (e: KeyboardEvent) => {
      const el = e.target as HTMLElement
      if (e.ctrlKey || e.metaKey || e.altKey || el.closest('input, textarea, select, [role=dialog]')) return
      const k = e.key.toLowerCase()
      if (k === 's') step(-1)
      else if (k === 'd') step(1)
      else if (k === ' ' && !el.closest('button')) setRun((r) => !r)
      else if (passes['1234'.indexOf(k)]) setPass(passes['1234'.indexOf(k)][0])
      else return
      e.preventDefault()
    }
    addEventListener('keydown', on)
    return () => removeEventListener('keydown', on)
  })
  return { i, times, last, run, pass, speed, setRun, choosePass: setPass, step, jump }
}
