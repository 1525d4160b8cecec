import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useCallback, useEffect, useLayoutEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react'
import { ask, client, type Clip, type Judged, type Landmark, type Spot } from '../shared/client'
import { inUnit, known, plusMinus, spoken } from '../shared/format'
import { stage as ink } from '../shared/theme'
import { placedMark, distance, followedAt, marksAt, repeats, roleOf, trail, type Desk, type Tool, type Trails } from './desk'
import type { Frames } from './frames'
import { Loupe } from './Loupe'

const roleInk = { front: ink.brick, rear: ink.sky, middle: ink.chalk }

/** Segments of the body as they are drawn. */
const bones = (['L', 'R'] as const).flatMap((s) =>
  [['hip', 'knee'], ['knee', 'ankle'], ['ankle', 'toe'], ['ankle', 'heel'], ['shoulder', 'elbow'], ['elbow', 'wrist'], ['shoulder', 'hip']].map(([a, b]) => [`${a}.${s}`, `${b}.${s}`]),
)

/** How near, in px on the screen, a press takes hold of a placed landmark; less while another waits to be placed. */
const grab = { free: 11, placing: 4 }
const nudge = 0.5
/** How far an arrow key moves the keyboard's crosshair, px on the screen. */
const crossStep = 4
/** How far a finger swipes for one picture, px on the screen. */
const swipeStep = 18

type Props = {
  desk: Desk
  clip: Clip
  frames: Frames
  frame: number
  /** Grows with each picture that arrives, so that the one waited for is drawn. */
  arrivals: number
  /** Landmarks may be placed. */
  placing: boolean
  armed?: string
  tool?: Tool
  onTool: (t: Tool | undefined) => void
  /** Values whose drawing is shown. */
  shown: Judged[]
  /** Which paths of followed points are drawn. */
  trails: Trails
  caption?: { name: string; sees: string }
  /** The picture as in a mirror. */
  mirror?: boolean
  /** A spot of the world that is kept in sight, as this picture shows it. */
  pin?: Spot
  children?: React.ReactNode
  onPreview: (values: Judged[] | undefined) => void
}

export function Stage({ desk, clip, frames, frame, placing, armed, tool, onTool, shown, trails, caption, mirror, pin, children, onPreview }: Props) {
  const room = useRef<HTMLDivElement>(null)
  const canvas = useRef<HTMLCanvasElement>(null)
  const [size, setSize] = useState({ w: 804, h: 452 })
  const [look, setLook] = useState(whole(clip))
  const [moving, setMoving] = useState<{ name: string; at: Spot }>()
  const [held, setHeld] = useState<{ frame: number; name: string }>()
  const [begun, setBegun] = useState<{ tool: Tool; at: Spot }>()
  const [cursor, setCursor] = useState<Spot>()
  const [panning, setPanning] = useState(false)
  const [pressing, setPressing] = useState(false)
  const [cross, setCross] = useState<Spot>() // where the keyboard points
  const [said, setSaid] = useState('')
  const fingers = useRef(new Map<number, Spot>())
  const swipe = useRef<{ x: number; frame: number }>(undefined)
  const aim = placing || !!tool
  const chosen = held?.frame === frame ? held.name : undefined
  const hidden = tool?.kind === 'repeat' ? tool.landmark : undefined // the hand must not see where it was before
  const first = begun?.tool === tool ? begun?.at : undefined

  useLayoutEffect(() => {
    const el = room.current!
    const fit = () => setSize({ w: el.clientWidth, h: el.clientHeight })
    const watch = new ResizeObserver(fit)
    watch.observe(el)
    fit()
    return () => watch.disconnect()
  }, [])
  const fit = Math.max(clip.width / size.w, clip.height / size.h) // original pixels per pixel on the screen, for the whole picture
  const scale = fit / look.zoom
  const seen = { x: look.x - (size.w * scale) / 2, y: look.y - (size.h * scale) / 2, w: size.w * scale, h: size.h * scale }

  const painted = useRef<ImageBitmap>(undefined)
  useLayoutEffect(() => {
    painted.current = undefined // it is seen otherwise now
    frames.paint = (n) => {
      const picture = frames.get(n)
      if (!picture || painted.current === picture) return
      painted.current = picture
      const c = canvas.current!, dense = devicePixelRatio
      const w = Math.round(size.w * dense), h = Math.round(size.h * dense)
      if (c.width !== w || c.height !== h) Object.assign(c, { width: w, height: h })
      const g = c.getContext('2d')!
      g.setTransform(1, 0, 0, 1, 0, 0)
      g.clearRect(0, 0, w, h)
      const k = dense / scale
      g.setTransform(k, 0, 0, k, -seen.x * k, -seen.y * k)
      g.imageSmoothingQuality = 'high'
      g.drawImage(picture, 0, 0, clip.width, clip.height)
    }
    return () => {
      frames.paint = undefined
    }
  }, [frames, size, look, clip.width, clip.height, scale])
  useLayoutEffect(() => frames.paint?.(frame))

  /** Zooms about a point of the picture, which stays where it is on the screen. */
  const zoom = useCallback(
    (by: number, about?: Spot) =>
      setLook((v) => {
        const to = Math.min(mostZoom, Math.max(1, v.zoom * by))
        if (to === 1) return whole(clip)
        const p = about ?? v, k = v.zoom / to
        return { zoom: to, x: p.x + (v.x - p.x) * k, y: p.y + (v.y - p.y) * k }
      }),
    [clip],
  )

  const followed = followedAt(desk.bench, desk.paths, frame)
  const kept = [...marksAt(desk.bench, frame), ...followed].filter((m) => m.name !== hidden)
  const marks = moving ? [...kept.filter((m) => m.name !== moving.name), placedMark(frame, moving.name, moving.at)] : kept
  const preview = usePreview(desk.bench.id, frame, moving, onPreview)

  const spot = useCallback(
    (e: { clientX: number; clientY: number }): Spot => {
      const r = canvas.current!.getBoundingClientRect()
      const clamp = (v: number, top: number) => Math.min(top, Math.max(0, v))
      return { x: clamp(seen.x + (e.clientX - r.left) * scale, clip.width), y: clamp(seen.y + (e.clientY - r.top) * scale, clip.height) }
    },
    [clip.width, clip.height, seen.x, seen.y, scale],
  )
  useEffect(() => {
    const el = room.current!
    const wheel = (e: WheelEvent) => {
      e.preventDefault()
      zoom(Math.exp(-e.deltaY * 0.0015), spot(e))
    }
    el.addEventListener('wheel', wheel, { passive: false })
    return () => el.removeEventListener('wheel', wheel)
  }, [zoom, spot])

  const down = (e: PointerEvent<SVGSVGElement>) => {
    const at = spot(e)
    e.currentTarget.setPointerCapture(e.pointerId)
    setCross(undefined)
    if (e.pointerType === 'touch') {
      fingers.current.set(e.pointerId, { x: e.clientX, y: e.clientY })
      if (fingers.current.size > 1) { // two fingers: closer, farther, elsewhere
        setMoving(undefined)
        setPressing(false)
        swipe.current = undefined
        return
      }
      if (!aim && look.zoom === 1) swipe.current = { x: e.clientX, frame }
    }
    if (e.button === 1 || (e.button === 0 && !aim)) {
      setPanning(true)
      return
    }
    if (e.button !== 0) return
    setCursor(at)
    if (tool) {
      setPressing(true)
      return
    }
    const waits = armed && !kept.some((m) => m.name === armed)
    const reach = (waits ? grab.placing : grab.free) * scale
    const under = kept.filter((m) => distance(m, at) < reach).sort((a, b) => distance(a, at) - distance(b, at))[0]
    const name = under?.name ?? armed
    if (!name) return
    setHeld({ frame, name })
    setMoving({ name, at: under ? { x: under.x, y: under.y } : at })
  }
  /** Two fingers: the point between them stays under them. */
  const pinch = (e: PointerEvent<SVGSVGElement>) => {
    const before = [...fingers.current.values()]
    fingers.current.set(e.pointerId, { x: e.clientX, y: e.clientY })
    const now = [...fingers.current.values()]
    const r = canvas.current!.getBoundingClientRect()
    const mid = (f: Spot[]) => ({ x: (f[0].x + f[1].x) / 2 - r.left - size.w / 2, y: (f[0].y + f[1].y) / 2 - r.top - size.h / 2 })
    const a = mid(before), b = mid(now), by = distance(now[0], now[1]) / Math.max(1, distance(before[0], before[1]))
    setLook((v) => {
      const to = Math.min(mostZoom, Math.max(1, v.zoom * by))
      return to === 1 ? whole(clip) : { zoom: to, x: v.x + (a.x * fit) / v.zoom - (b.x * fit) / to, y: v.y + (a.y * fit) / v.zoom - (b.y * fit) / to }
    })
  }
  const move = (e: PointerEvent<SVGSVGElement>) => {
    if (fingers.current.size > 1) {
      pinch(e)
      return
    }
    if (swipe.current) {
      desk.go(swipe.current.frame - Math.round((e.clientX - swipe.current.x) / swipeStep))
      return
    }
    if (panning) {
      setLook((v) => (v.zoom === 1 ? v : { ...v, x: v.x - e.movementX * scale, y: v.y - e.movementY * scale }))
      return
    }
    const at = spot(e)
    setCursor(at)
    if (moving) setMoving({ name: moving.name, at })
  }
  const up = (e: PointerEvent<SVGSVGElement>) => {
    const alone = fingers.current.size < 2
    fingers.current.delete(e.pointerId)
    swipe.current = undefined
    setPanning(false)
    if (pressing && alone && tool) mark(tool, spot(e))
    setPressing(false)
    if (moving) place(moving.name, moving.at)
    setMoving(undefined)
  }
  const place = (name: string, at: Spot) => {
    desk.send({ kind: 'landmark', frame, landmark: name, at })
    preview.end()
    setSaid(`${spoken(name)} placed.`)
  }
  const mark = (tool: Tool, at: Spot) => {
    const two = tool.kind === 'scale' || tool.kind === 'level' || tool.kind === 'subject'
    if (two && !first) {
      setBegun({ tool, at })
      setSaid('First point marked. Now the second.')
      return
    }
    if (tool.kind === 'fall') {
      desk.send({ kind: 'landmark', frame, landmark: 'implement', at })
      desk.go(frame + tool.stride)
      return
    }
    if (tool.kind === 'repeat') {
      const points = [...tool.points, at]
      setSaid(`${points.length} of ${repeats} placed.`)
      if (points.length < repeats) onTool({ ...tool, points })
      else {
        desk.send({ kind: 'repeats', repeats: { frame, landmark: tool.landmark, points } })
        onTool(undefined)
      }
      return
    }
    if (tool.kind === 'place') {
      const others = desk.bench.calibration.controlPoints?.filter((p) => p.name !== tool.name) ?? []
      desk.send({ kind: 'controlPoints', controlPoints: [...others, { name: tool.name, at: tool.at, px: at, frame }] })
    }
    if (tool.kind === 'origin') desk.send({ kind: 'origin', origin: { at, frame } })
    if (tool.kind === 'scale') desk.send({ kind: 'scale', scale: { a: first!, b: at, metres: tool.metres, what: tool.what, frame } })
    if (tool.kind === 'level') desk.send({ kind: 'level', level: { a: first!, b: at, vertical: tool.vertical, frame } })
    if (tool.kind === 'subject') desk.send({ kind: 'subject', subject: { frame, a: first!, b: at } })
    setSaid('Marked.')
    onTool(undefined)
  }

  const keys = (e: KeyboardEvent) => {
    const m = tool || cross ? undefined : kept.find((l) => l.name === (chosen ?? armed))
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
    if (m && by && placing) {
      const k = nudge * scale * (e.shiftKey ? 10 : 1)
      desk.send({ kind: 'landmark', frame, landmark: m.name, at: { x: m.x + by[0] * k, y: m.y + by[1] * k } })
    } else if (by && aim) {
      const k = crossStep * scale * (e.shiftKey ? 10 : 1)
      const from = cross ?? { x: seen.x + seen.w / 2, y: seen.y + seen.h / 2 }
      const to = { x: Math.min(clip.width, Math.max(0, from.x + by[0] * k)), y: Math.min(clip.height, Math.max(0, from.y + by[1] * k)) }
      setCross(to)
      setCursor(to)
    } else if (e.key === 'Enter' && cross && aim) {
      if (tool) mark(tool, cross)
      else if (armed) place(armed, cross)
      setCross(undefined)
      setCursor(undefined)
    } else if (e.key === 'Escape' && cross) {
      setCross(undefined)
      setCursor(undefined)
    } else if (e.key === '+' || e.key === '=') zoom(1.5, cross)
    else if (e.key === '-') zoom(1 / 1.5, cross)
    else if (m && (e.key === 'Delete' || e.key === 'Backspace') && placing) {
      desk.send({ kind: 'landmark', frame, landmark: m.name })
      setHeld(undefined)
    } else return
    e.preventDefault()
    e.stopPropagation()
  }

  const inHand = moving?.name ?? (tool ? undefined : armed)
  return (
    <Box ref={room} flex="1" minH="0" position="relative" bg="stage" overflow="hidden">
      <canvas ref={canvas} style={{ position: 'absolute', inset: 0, width: '100%', height: '100%', transform: mirror ? 'scaleX(-1)' : undefined }} aria-label={`picture ${frame}${mirror ? ', as in a mirror' : ''}`} className={mirror ? 'mirrored' : undefined} />
      <svg role="application" aria-label={aim ? 'Picture: press to place, drag to move; arrow keys point or nudge, Enter places, Delete takes off, + and − zoom' : 'Picture: + and − zoom'} tabIndex={0}
        viewBox={`${seen.x} ${seen.y} ${seen.w} ${seen.h}`} onKeyDown={keys} onPointerDown={down} onPointerMove={move} onPointerUp={up} onPointerCancel={(e) => { fingers.current.delete(e.pointerId); setMoving(undefined); setPressing(false); setPanning(false) }} onPointerLeave={() => !cross && setCursor(undefined)}
        style={{ position: 'absolute', inset: 0, width: '100%', height: '100%', transform: mirror ? 'scaleX(-1)' : undefined, cursor: aim ? 'crosshair' : 'default', touchAction: 'none' }}>
        <Guides desk={desk} frame={frame} scale={scale} first={first} cursor={cursor} box={tool?.kind === 'subject'} known={tool?.kind === 'place'} />
        {pin && <g data-pin stroke={ink.arc} strokeWidth={1.6 * scale} fill="none" pointerEvents="none"><circle cx={pin.x} cy={pin.y} r={9 * scale} /><path d={`M${pin.x - 15 * scale} ${pin.y}h${30 * scale}M${pin.x} ${pin.y - 15 * scale}v${30 * scale}`} /></g>}
        {cross && <path d={`M${cross.x - 14 * scale} ${cross.y}h${28 * scale}M${cross.x} ${cross.y - 14 * scale}v${28 * scale}`} stroke={ink.arc} strokeWidth={1.5 * scale} />}
        {desk.paths && trails !== 'none' && desk.paths.paths.filter((p) => trails === 'all' || p.name === (chosen ?? moving?.name ?? armed ?? usual(desk))).map((p) => <Trail key={p.name} desk={desk} name={p.name} frame={frame} scale={scale} />)}
        {trails !== 'none' && followed.map((m) => <circle key={m.name} cx={m.x} cy={m.y} r={Math.max(2 * m.u, 1)} fill="none" stroke={ink.chalk} strokeWidth={scale} opacity={0.45} pointerEvents="none" />)}
        <Figure marks={marks} desk={desk} scale={scale} chosen={chosen} faint={!placing} />
        {shown.filter(known).flatMap((v) => v.drawings.filter((d) => d.frame === frame).map((d, i) => <Drawn key={v.key + i} v={v} d={d} scale={scale} full={shown.length < 3} label={i === 0 && shown.length < 3} />))}
      </svg>
      {aim && cursor && frames.get(frame) && <Loupe of={frames.get(frame)!} at={cursor} width={clip.width} scale={scale} place={{ x: (cursor.x - seen.x) / scale, y: (cursor.y - seen.y) / scale }} room={size} name={inHand && spoken(inHand)} />}
      <Text srOnly role="status">{said}</Text>
      {!frames.get(frame) && <Text position="absolute" bottom="48px" left="14px" color="chalk" fontSize="12.5px">picture {frame} is coming…</Text>}
      <Flex position="absolute" bottom="8px" left="14px" gap="4px">
        <Zoom label="One picture back (S)" onClick={() => desk.go(frame - 1)}>‹</Zoom>
        <Zoom label="One picture on (D)" onClick={() => desk.go(frame + 1)}>›</Zoom>
      </Flex>
      <Flex position="absolute" bottom="8px" right="10px" gap="4px">
        {look.zoom > 1 && <Zoom label="Whole picture" onClick={() => setLook(whole(clip))}>{look.zoom.toFixed(1)}× · whole</Zoom>}
        <Zoom label="Farther" disabled={look.zoom === 1} onClick={() => zoom(1 / 1.5)}>−</Zoom>
        <Zoom label="Closer" disabled={look.zoom === mostZoom} onClick={() => zoom(1.5, middle(marks))}>+</Zoom>
      </Flex>
      {children}
      {caption && (
        <Box position="absolute" top="12px" left="14px" bg="rgba(13,20,27,.82)" color="chalk" borderRadius="8px" px="12px" py="5px" maxW="80%" pointerEvents="none">
          <Text as="span" fontWeight="700">{caption.name}</Text> <Text as="span" opacity={0.85}>· {caption.sees}</Text>
        </Box>
      )}
    </Box>
  )
}

const mostZoom = 12

const whole = (clip: Clip) => ({ zoom: 1, x: clip.width / 2, y: clip.height / 2 })

/** The middle of what is placed, where there is any. */
const middle = (marks: Landmark[]): Spot | undefined =>
  marks.length === 0 ? undefined : { x: marks.reduce((s, m) => s + m.x, 0) / marks.length, y: marks.reduce((s, m) => s + m.y, 0) / marks.length }

function Zoom({ label, ...rest }: { label: string } & React.ComponentProps<typeof chakra.button>) {
  return <chakra.button aria-label={label} title={label} minW="32px" h="32px" px="8px" borderRadius="8px" bg="rgba(13,20,27,.82)" color="chalk" fontWeight="600" cursor="pointer" _disabled={{ opacity: 0.4 }} {...rest} />
}

/** Asks the server for the numbers of a landmark that is still moving, one question at a time. */
function usePreview(id: string, frame: number, moving: { name: string; at: Spot } | undefined, tell: (v: Judged[] | undefined) => void) {
  const busy = useRef(false)
  const latest = useRef(moving)
  latest.current = moving
  useEffect(() => {
    if (!moving || busy.current) return
    const run = async () => {
      busy.current = true
      let asked: typeof moving | undefined
      while (latest.current && latest.current !== asked) {
        const now: { name: string; at: Spot } = latest.current
        asked = now
        try {
          const landmarks: Landmark[] = [placedMark(frame, now.name, now.at)]
          const values = await ask(client.POST('/api/attempts/{id}/preview', { params: { path: { id } }, body: { frame, landmarks } }))
          if (latest.current) tell(values)
        } catch {
          break // the number follows on release
        }
      }
      busy.current = false
    }
    void run()
  }, [id, frame, moving, tell])
  return { end: () => tell(undefined) }
}

function Dot({ at, role, size, hollow, dash }: { at: Spot; role: 'front' | 'rear' | 'middle'; size: number; hollow?: boolean; dash?: string }) {
  const c = roleInk[role]
  const look = { fill: hollow ? 'none' : ink.chalk, stroke: c, strokeWidth: size * 0.55, strokeDasharray: dash }
  return role === 'rear' ? <rect x={at.x - size} y={at.y - size} width={2 * size} height={2 * size} {...look} /> : <circle cx={at.x} cy={at.y} r={size} {...look} />
}

function Figure({ marks, desk, scale, chosen, faint }: { marks: Landmark[]; desk: Desk; scale: number; chosen?: string; faint: boolean }) {
  const by = Object.fromEntries(marks.map((m) => [m.name, m]))
  const w = 2 * scale
  return (
    <g opacity={faint ? 0.85 : 1}>
      {bones.map(([a, b]) => {
        const role = roleOf(a, desk.bench)
        return by[a] && by[b] && <line key={a + b} x1={by[a].x} y1={by[a].y} x2={by[b].x} y2={by[b].y} stroke={roleInk[role]} strokeWidth={w} strokeDasharray={role === 'rear' ? `${4 * w} ${2 * w}` : undefined} strokeLinecap="round" />
      })}
      {marks.map((m) => (
        <g key={m.name} data-landmark={m.name}>
          <title>{spoken(m.name)}{m.source === 'followed' ? ', followed' : ''}</title>
          {m.name === chosen && <circle cx={m.x} cy={m.y} r={10 * scale} fill="none" stroke={ink.arc} strokeWidth={1.5 * scale} />}
          <Dot at={m} role={roleOf(m.name, desk.bench)} size={(faint ? 2.4 : 3.2) * scale} hollow={m.source === 'followed'} />
        </g>
      ))}
    </g>
  )
}

/** The path whose point is shown when none is chosen: of the implement, else of the first one. */
const usual = (desk: Desk) => desk.paths!.paths.find((p) => p.name === 'implement')?.name ?? desk.paths!.paths[0]?.name

/** A followed point's way about the picture, a dot for each picture. */
function Trail({ desk, name, frame, scale }: { desk: Desk; name: string; frame: number; scale: number }) {
  const parts = trail(desk.paths!, name, frame)
  return (
    <g pointerEvents="none" data-trail={name}>
      {parts.map((part, i) => <polyline key={i} points={part.map((p) => `${p.x},${p.y}`).join(' ')} fill="none" stroke={roleInk[roleOf(name, desk.bench)]} strokeWidth={1.5 * scale} opacity={0.8} />)}
      {parts.flat().map((p, i) => <circle key={i} cx={p.x} cy={p.y} r={1.3 * scale} fill={ink.chalk} opacity={0.7} />)}
    </g>
  )
}

/** The scale, the level and the line, where they were marked. */
function Guides({ desk, frame, scale, first, cursor, box, known }: { desk: Desk; frame: number; scale: number; first?: Spot; cursor?: Spot; box: boolean; known: boolean }) {
  const { scale: s, level, origin, subject, controlPoints } = desk.bench.calibration
  const frameOf = (a: Spot, b: Spot) => <rect x={Math.min(a.x, b.x)} y={Math.min(a.y, b.y)} width={Math.abs(a.x - b.x)} height={Math.abs(a.y - b.y)} fill="none" {...thin} />
  const thin = { stroke: ink.chalk, strokeWidth: 1.3 * scale, opacity: 0.75 }
  const end = (p: Spot, key: string) => <path key={key} d={`M${p.x - 4 * scale} ${p.y}h${8 * scale}M${p.x} ${p.y - 4 * scale}v${8 * scale}`} {...thin} />
  const line = (a: Spot, b: Spot, dash?: string) => <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} {...thin} strokeDasharray={dash} />
  return (
    <g pointerEvents="none">
      {s && (<g>{line(s.a, s.b)}{end(s.a, 'a')}{end(s.b, 'b')}</g>)}
      {level && line(level.a, level.b, `${2 * scale} ${4 * scale}`)}
      {origin && <path d={`M${origin.at.x} ${origin.at.y - 14 * scale}v${22 * scale}`} {...thin} strokeWidth={2 * scale} />}
      {controlPoints?.filter((p) => known || p.frame === frame).map((p) => <g key={p.name}><title>{p.name}</title>{end(p.px, p.name)}<circle cx={p.px.x} cy={p.px.y} r={3 * scale} fill="none" {...thin} /></g>)}
      {subject?.frame === frame && frameOf(subject.a, subject.b)}
      {!desk.paths && desk.bench.landmarks.filter((l) => l.name === 'implement').map((l) => <circle key={l.frame} cx={l.x} cy={l.y} r={4 * scale} fill="none" {...thin} opacity={l.frame === frame ? 1 : 0.45} />)}
      {first && (<g>{end(first, 'f')}{cursor && (box ? frameOf(first, cursor) : line(first, cursor, `${5 * scale} ${3 * scale}`))}</g>)}
    </g>
  )
}

type Vec = { X: number; Y: number }

/** A value's arc or line, as the server measured it, with its number. */
function Drawn({ v, d, scale, full, label }: { v: Judged; d: Judged['drawings'][number]; scale: number; full: boolean; label: boolean }) {
  const line = { fill: 'none', stroke: ink.arc, strokeWidth: 2 * scale }
  let path: string
  let text: Spot
  if (d.kind === 'arc' && d.vertex) {
    const a = direction(d.vertex, d.from), b = direction(d.vertex, d.to)
    let turn = b - a
    while (turn > Math.PI) turn -= 2 * Math.PI
    while (turn < -Math.PI) turn += 2 * Math.PI
    const r = Math.min((full ? 46 : 26) * scale, 0.7 * Math.min(length(d.vertex, d.from), length(d.vertex, d.to)))
    const on = (t: number, k = 1) => ({ x: d.vertex!.X + r * k * Math.cos(a + turn * t), y: d.vertex!.Y + r * k * Math.sin(a + turn * t) })
    path = `M${on(0).x} ${on(0).y}` + Array.from({ length: 24 }, (_, i) => `L${on((i + 1) / 24).x} ${on((i + 1) / 24).y}`).join('')
    if (full) path += `M${d.vertex.X} ${d.vertex.Y}L${d.from.X} ${d.from.Y}M${d.vertex.X} ${d.vertex.Y}L${d.to.X} ${d.to.Y}`
    text = on(0.5, 1.25)
  } else {
    path = `M${d.from.X} ${d.from.Y}L${d.to.X} ${d.to.Y}`
    text = { x: (d.from.X + d.to.X) / 2, y: (d.from.Y + d.to.Y) / 2 - 14 * scale }
  }
  const number = inUnit(v.value, v.unit), more = ` ${plusMinus(v.u, v.unit)}`
  const w = (16 + 7.2 * number.length + 5 * more.length) * scale, h = 24 * scale
  return (
    <g pointerEvents="none">
      <path d={path} {...line} strokeDasharray={d.kind === 'segment' ? `${6 * scale} ${3 * scale}` : undefined} />
      {label && (
        <g transform={`translate(${text.x + 4 * scale} ${text.y - h / 2})`}>
          <rect width={w} height={h} rx={6 * scale} fill="#0D141B" opacity={0.85} />
          <text x={8 * scale} y={h * 0.7} fill={ink.chalk} style={{ fontSize: 15 * scale, fontWeight: 700 }}>{number}<tspan style={{ fontSize: 12 * scale, fontWeight: 400 }}>{more}</tspan></text>
        </g>
      )}
    </g>
  )
}

const direction = (o: Vec, p: Vec) => Math.atan2(p.Y - o.Y, p.X - o.X)
const length = (o: Vec, p: Vec) => Math.hypot(p.X - o.X, p.Y - o.Y)
