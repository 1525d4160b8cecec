import { useGesture } from '@use-gesture/react'
import { useRef, useState, type PointerEvent } from 'react'
import type { Landmark, Spot } from '../../ui/client'
import { distance, type BenchContext, type Tool } from '../benchModel'
import type { Viewport } from './useViewport'

/** How near, in px on the screen, a drag takes hold of a placed landmark; less while another waits to be placed. */
const grab = { free: 11, placing: 4 }
/** How far a press moves, px on the screen, that is a drag. */
const dragged = 3
/** How far a finger swipes for one picture, px on the screen. */
const swipeStep = 18

type Props = {
  context: BenchContext
  view: Viewport
  frame: number
  /** Presses mean something besides looking closer. */
  aim: boolean
  armed?: string
  tool?: Tool
  landmarks: Landmark[]
  onPlace: (name: string, at: Spot) => void
  onMark: (tool: Tool, at: Spot) => void
  onPress: () => void
}

/**
 * The pointer on the picture: a press places, takes hold of or marks, a drag
 * moves what is held, else the picture; a finger swipes through the pictures,
 * two fingers and the wheel look closer.
 */
export function usePointer({ context, view, frame, aim, armed, tool, landmarks, onPlace, onMark, onPress }: Props) {
  const [moving, setMoving] = useState<{ name: string; at: Spot }>()
  /** A press that lies on another landmark: it places what waits, unless it becomes a drag. */
  const tap = useRef<{ name: string; at: Spot }>(undefined)
  const [held, setHeld] = useState<{ frame: number; name: string }>()
  const [cursor, setCursor] = useState<Spot>()
  const panning = useRef(false)
  const pressing = useRef(false)
  const pinching = useRef(false)
  const swipe = useRef<{ x: number; frame: number }>(undefined)

  const letGo = () => {
    pressing.current = false
    panning.current = false
    swipe.current = undefined
    tap.current = undefined
    setMoving(undefined)
  }

  useGesture(
    {
      onWheel: ({ event }) => {
        event.preventDefault()
        view.zoom(Math.exp(-event.deltaY * 0.0015), view.spotAt(event.clientX, event.clientY))
      },
      onPinch: ({ first, last, origin: [x, y], delta: [d], offset: [s], memo }) => {
        if (first) letGo()
        pinching.current = !last
        const before = (memo as { x: number; y: number; s: number } | undefined) ?? { x, y, s: s - d }
        view.pan(x - before.x, y - before.y)
        view.zoom(s / before.s, view.spotAt(x, y))
        return { x, y, s }
      },
    },
    { target: view.room, eventOptions: { passive: false }, pinch: { pointer: { touch: true } } },
  )

  const down = (e: PointerEvent<SVGSVGElement>) => {
    const at = view.spotAt(e.clientX, e.clientY)
    e.currentTarget.setPointerCapture(e.pointerId)
    onPress()
    if (e.pointerType === 'touch' && !e.isPrimary) return letGo()
    if (e.pointerType === 'touch' && !aim && view.zoomed === 1) swipe.current = { x: e.clientX, frame }
    if (e.button === 1 || (e.button === 0 && !aim)) {
      panning.current = true
      return
    }
    if (e.button !== 0) return
    setCursor(at)
    if (tool) {
      pressing.current = true
      return
    }
    const reach = (armed ? grab.placing : grab.free) * view.scale
    const near = landmarks.filter((m) => distance(m, at) < reach)
    const under = near.sort((a, b) => distance(a, at) - distance(b, at))[0]
    if (armed && (e.altKey || !under || under.name === armed)) {
      setHeld({ frame, name: armed })
      return setMoving({ name: armed, at })
    }
    if (!under) return
    if (armed) tap.current = { name: armed, at }
    setHeld({ frame, name: under.name })
    setMoving({ name: under.name, at: { x: under.x, y: under.y } })
  }

  const move = (e: PointerEvent<SVGSVGElement>) => {
    if (pinching.current) return
    if (swipe.current) {
      context.go(swipe.current.frame - Math.round((e.clientX - swipe.current.x) / swipeStep))
      return
    }
    if (panning.current) return view.pan(e.movementX, e.movementY)
    const at = view.spotAt(e.clientX, e.clientY)
    setCursor(at)
    if (tap.current && distance(tap.current.at, at) < dragged * view.scale) return
    tap.current = undefined
    if (moving) setMoving({ name: moving.name, at })
  }

  const up = (e: PointerEvent<SVGSVGElement>) => {
    if (pressing.current && tool) onMark(tool, view.spotAt(e.clientX, e.clientY))
    const placed = tap.current ?? moving
    if (placed) onPlace(placed.name, placed.at)
    letGo()
  }

  return {
    moving,
    cursor,
    setCursor,
    /** The landmark that was taken hold of last, on this picture. */
    chosen: held?.frame === frame ? held.name : undefined,
    drop: () => setHeld(undefined),
    handlers: { onPointerDown: down, onPointerMove: move, onPointerUp: up, onPointerCancel: letGo },
  }
}
