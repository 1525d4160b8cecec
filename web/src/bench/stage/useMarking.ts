import { useCallback, useState } from 'react'
import type { Spot } from '../../ui/client'
import { spoken } from '../../ui/format'
import { repeats, type BenchContext, type Tool } from '../benchModel'

/** What presses on the picture put there: landmarks, or what the tool in hand marks. */
export function useMarking(
  context: BenchContext,
  frame: number,
  tool: Tool | undefined,
  onTool: (t: Tool | undefined) => void,
) {
  const [begun, setBegun] = useState<{ tool: Tool; at: Spot }>()
  const [said, setSaid] = useState('')
  /** The first of a tool's two points. */
  const first = begun?.tool === tool ? begun?.at : undefined

  const place = useCallback(
    (name: string, at: Spot) => {
      context.send({ kind: 'landmark', frame, landmark: name, at })
      setSaid(`${spoken(name)} placed.`)
    },
    [context, frame],
  )

  const repeat = (tool: Tool & { kind: 'repeat' }, at: Spot) => {
    const points = [...tool.points, at]
    setSaid(`${points.length} of ${repeats} placed.`)
    if (points.length < repeats) return onTool({ ...tool, points })
    context.send({ kind: 'repeats', repeats: { frame, landmark: tool.landmark, points } })
    onTool(undefined)
  }

  const mark = (tool: Tool, at: Spot) => {
    const two = tool.kind === 'scale' || tool.kind === 'level' || tool.kind === 'subject'
    if (two && !first) {
      setBegun({ tool, at })
      setSaid('First point marked. Now the second.')
      return
    }
    const a = first!
    switch (tool.kind) {
      case 'fall':
        context.send({ kind: 'landmark', frame, landmark: 'implement', at })
        context.go(frame + tool.stride)
        return
      case 'repeat':
        return repeat(tool, at)
      case 'controlPoint': {
        const others = context.bench.calibration.controlPoints?.filter((p) => p.name !== tool.name) ?? []
        const marked = { name: tool.name, at: tool.at, px: at, frame }
        context.send({ kind: 'controlPoints', controlPoints: [...others, marked] })
        break
      }
      case 'origin':
        context.send({ kind: 'origin', origin: { at, frame } })
        break
      case 'scale':
        context.send({ kind: 'scale', scale: { a, b: at, metres: tool.metres, what: tool.what, frame } })
        break
      case 'level':
        context.send({ kind: 'level', level: { a, b: at, vertical: tool.vertical, frame } })
        break
      case 'subject':
        context.send({ kind: 'subject', subject: { frame, a, b: at } })
    }
    setSaid('Marked.')
    onTool(undefined)
  }

  return { first, said, place, mark }
}
