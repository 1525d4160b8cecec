import type { KeyboardEvent } from 'react'
import type { Clip, Landmark, Spot } from '../../ui/client'
import type { BenchContext, Tool } from '../benchModel'
import type { Viewport } from './useViewport'

/** How far an arrow key moves a landmark, px on the screen. */
const nudge = 0.5
/** How far an arrow key moves the keyboard's crosshair, px on the screen. */
const crossStep = 4

const arrows: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}

type Props = {
  context: BenchContext
  clip: Clip
  view: Viewport
  frame: number
  placing: boolean
  aim: boolean
  armed?: string
  tool?: Tool
  landmarks: Landmark[]
  chosen?: string
  /** Where the keyboard's crosshair is. */
  cross?: Spot
  onCross: (at: Spot | undefined) => void
  onPlace: (name: string, at: Spot) => void
  onMark: (tool: Tool, at: Spot) => void
  onDrop: () => void
}

/** The keyboard on the picture: arrows nudge a landmark or move a crosshair, Enter places there. */
export function useStageKeys(props: Props) {
  const { context, clip, view, frame, placing, aim, armed, tool, landmarks, chosen, cross } = props

  const pointAt = props.onCross
  const moveCross = ([dx, dy]: [number, number], far: boolean) => {
    const k = crossStep * view.scale * (far ? 10 : 1)
    const from = cross ?? { x: view.seen.x + view.seen.w / 2, y: view.seen.y + view.seen.h / 2 }
    pointAt({
      x: Math.min(clip.width, Math.max(0, from.x + dx * k)),
      y: Math.min(clip.height, Math.max(0, from.y + dy * k)),
    })
  }

  return (e: KeyboardEvent) => {
    const m = tool || cross ? undefined : landmarks.find((l) => l.name === (chosen ?? armed))
    const by = arrows[e.key]
    if (m && by && placing) {
      const k = nudge * view.scale * (e.shiftKey ? 10 : 1)
      const at = { x: m.x + by[0] * k, y: m.y + by[1] * k }
      context.send({ kind: 'landmark', frame, landmark: m.name, at })
    } else if (by && aim) moveCross(by, e.shiftKey)
    else if (e.key === 'Enter' && cross && aim) {
      if (tool) props.onMark(tool, cross)
      else if (armed) props.onPlace(armed, cross)
      pointAt(undefined)
    } else if (e.key === 'Escape' && cross) pointAt(undefined)
    else if (e.key === '+' || e.key === '=') view.zoom(1.5, cross)
    else if (e.key === '-') view.zoom(1 / 1.5, cross)
    else if (m && (e.key === 'Delete' || e.key === 'Backspace') && placing) {
      context.send({ kind: 'landmark', frame, landmark: m.name })
      props.onDrop()
    } else return
    e.preventDefault()
    e.stopPropagation()
  }
}
