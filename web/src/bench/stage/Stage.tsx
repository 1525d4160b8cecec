import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useState } from 'react'
import type { Clip, Judged, Landmark, Spot } from '../../ui/client'
import { known, spoken } from '../../ui/format'
import { stage as ink } from '../../ui/theme'
import { followedAt, marksAt, placedMark, type BenchContext, type Tool, type Trails } from '../benchModel'
import type { Frames } from '../frames'
import { FigureOverlay } from './FigureOverlay'
import { Guides } from './Guides'
import { Loupe } from './Loupe'
import { Trail, usualPath } from './Trail'
import { useMarking } from './useMarking'
import { usePointer } from './usePointer'
import { usePreview } from './usePreview'
import { useStageKeys } from './useStageKeys'
import { mostZoom, useViewport, type Viewport } from './useViewport'
import { ValueOverlay } from './ValueOverlay'

type Props = {
  context: BenchContext
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
  onPlaced: (name: string) => void
}

const filling = { position: 'absolute', inset: 0, width: '100%', height: '100%' } as const

const placingLabel =
  'Picture: press to place, drag to move; arrow keys point or nudge, Enter places, Delete takes off, + and − zoom'

/** The picture with what is marked and measured on it. */
export function Stage(props: Props) {
  const { context, clip, frames, frame, placing, armed, tool, onTool, shown, trails, caption, mirror, pin } = props
  const { onPlaced } = props
  const [cross, setCross] = useState<Spot>() // where the keyboard points
  const view = useViewport(clip, frames, frame)
  const marking = useMarking(context, frame, tool, onTool)
  const aim = placing || !!tool
  // The hand that places a joint again must not see where it was before.
  const hidden = tool?.kind === 'repeat' ? tool.landmark : undefined
  const followed = followedAt(context.bench, context.paths, frame)
  const kept = [...marksAt(context.bench, frame), ...followed].filter((m) => m.name !== hidden)

  const place = (name: string, at: Spot) => {
    marking.place(name, at)
    preview.end()
    onPlaced(name)
  }
  const pointer = usePointer({
    context,
    view,
    frame,
    aim,
    armed,
    tool,
    landmarks: kept,
    onPlace: place,
    onMark: marking.mark,
    onPress: () => setCross(undefined),
  })
  const { moving, chosen, cursor } = pointer
  const preview = usePreview(context.bench.id, frame, moving, props.onPreview)
  const keys = useStageKeys({
    context,
    clip,
    view,
    frame,
    placing,
    aim,
    armed,
    tool,
    landmarks: kept,
    chosen,
    cross,
    onCross: (at) => {
      setCross(at)
      pointer.setCursor(at)
    },
    onPlace: place,
    onMark: marking.mark,
    onDrop: pointer.drop,
  })
  const marks = moving
    ? [...kept.filter((m) => m.name !== moving.name), placedMark(frame, moving.name, moving.at)]
    : kept
  const inHand = moving?.name ?? (tool ? undefined : armed)
  const { scale, seen } = view
  const trailOf = chosen ?? moving?.name ?? armed ?? (context.paths && usualPath(context))
  const flip = mirror ? 'scaleX(-1)' : undefined
  return (
    <Box ref={view.room} flex="1" minH="0" position="relative" bg="stage" overflow="hidden">
      <canvas
        ref={view.canvas}
        style={{ ...filling, transform: flip }}
        aria-label={`picture ${frame}${mirror ? ', as in a mirror' : ''}`}
        className={mirror ? 'mirrored' : undefined}
      />
      <svg
        role="application"
        aria-label={aim ? placingLabel : 'Picture: + and − zoom'}
        tabIndex={0}
        viewBox={`${seen.x} ${seen.y} ${seen.w} ${seen.h}`}
        onKeyDown={keys}
        {...pointer.handlers}
        onPointerLeave={() => !cross && pointer.setCursor(undefined)}
        style={{ ...filling, transform: flip, cursor: aim ? 'crosshair' : 'default', touchAction: 'none' }}
      >
        <Guides
          context={context}
          frame={frame}
          scale={scale}
          first={marking.first}
          cursor={cursor}
          box={tool?.kind === 'subject'}
          known={tool?.kind === 'controlPoint'}
        />
        {pin && <ReferenceMark at={pin} scale={scale} />}
        {cross && <path d={plus(cross, 14 * scale)} stroke={ink.arc} strokeWidth={1.5 * scale} />}
        {trails !== 'none' &&
          context.paths?.paths
            .filter((p) => trails === 'all' || p.name === trailOf)
            .map((p) => <Trail key={p.name} context={context} name={p.name} frame={frame} scale={scale} />)}
        {trails !== 'none' && followed.map((m) => <Uncertainty key={m.name} of={m} scale={scale} />)}
        <FigureOverlay marks={marks} context={context} scale={scale} chosen={chosen} faint={!placing} />
        <ValueOverlays shown={shown} frame={frame} scale={scale} />
      </svg>
      {aim && cursor && frames.get(frame) && (
        <Loupe
          of={frames.get(frame)!}
          at={cursor}
          width={clip.width}
          scale={scale}
          place={{ x: (cursor.x - seen.x) / scale, y: (cursor.y - seen.y) / scale }}
          room={view.size}
          name={inHand && spoken(inHand)}
        />
      )}
      <Text srOnly role="status">
        {marking.said}
      </Text>
      {!frames.get(frame) && (
        <Text position="absolute" bottom="48px" left="14px" color="chalk" fontSize="12.5px">
          picture {frame} is coming…
        </Text>
      )}
      <StageButtons view={view} marks={marks} onStep={(by) => context.go(frame + by)} />
      {props.children}
      {caption && <Caption {...caption} />}
    </Box>
  )
}

const plus = (p: Spot, r: number) => `M${p.x - r} ${p.y}h${2 * r}M${p.x} ${p.y - r}v${2 * r}`

/** A spot of the world that the coach keeps in sight. */
function ReferenceMark({ at, scale }: { at: Spot; scale: number }) {
  return (
    <g data-pin stroke={ink.arc} strokeWidth={1.6 * scale} fill="none" pointerEvents="none">
      <circle cx={at.x} cy={at.y} r={9 * scale} />
      <path d={plus(at, 15 * scale)} />
    </g>
  )
}

/** Two standard uncertainties about a followed point. */
function Uncertainty({ of, scale }: { of: Landmark; scale: number }) {
  const line = {
    fill: 'none',
    stroke: ink.chalk,
    strokeWidth: scale,
    opacity: 0.45,
    pointerEvents: 'none' as const,
  }
  return <circle cx={of.x} cy={of.y} r={Math.max(2 * of.u, 1)} {...line} />
}

/** The drawings of values on a picture; of a few, with their numbers. */
function ValueOverlays({ shown, frame, scale }: { shown: Judged[]; frame: number; scale: number }) {
  const few = shown.length < 3
  return shown
    .filter(known)
    .flatMap((v) =>
      v.drawings
        .filter((d) => d.frame === frame)
        .map((d, i) => (
          <ValueOverlay key={v.key + i} v={v} d={d} scale={scale} full={few} label={i === 0 && few} />
        )),
    )
}

/** The middle of what is placed, where there is any. */
const middle = (marks: Landmark[]): Spot | undefined =>
  marks.length === 0
    ? undefined
    : { x: marks.reduce((s, m) => s + m.x, 0) / marks.length, y: marks.reduce((s, m) => s + m.y, 0) / marks.length }

function StageButtons({
  view,
  marks,
  onStep,
}: {
  view: Viewport
  marks: Landmark[]
  onStep: (by: number) => void
}) {
  return (
    <>
      <Flex position="absolute" bottom="8px" left="14px" gap="4px">
        <StageButton label="One picture back (S)" onClick={() => onStep(-1)}>
          ‹
        </StageButton>
        <StageButton label="One picture on (D)" onClick={() => onStep(1)}>
          ›
        </StageButton>
      </Flex>
      <Flex position="absolute" bottom="8px" right="10px" gap="4px">
        {view.zoomed > 1 && (
          <StageButton label="Whole picture" onClick={view.showWhole}>
            {view.zoomed.toFixed(1)}× · whole
          </StageButton>
        )}
        <StageButton label="Farther" disabled={view.zoomed === 1} onClick={() => view.zoom(1 / 1.5)}>
          −
        </StageButton>
        <StageButton
          label="Closer"
          disabled={view.zoomed === mostZoom}
          onClick={() => view.zoom(1.5, middle(marks))}
        >
          +
        </StageButton>
      </Flex>
    </>
  )
}

const onPicture = { bg: 'rgba(13,20,27,.82)', color: 'chalk', borderRadius: '8px' } as const

function StageButton({ label, ...rest }: { label: string } & React.ComponentProps<typeof chakra.button>) {
  return (
    <chakra.button
      {...onPicture}
      aria-label={label}
      title={label}
      minW="32px"
      h="32px"
      px="8px"
      fontWeight="600"
      cursor="pointer"
      _disabled={{ opacity: 0.4 }}
      {...rest}
    />
  )
}

function Caption({ name, sees }: { name: string; sees: string }) {
  return (
    <Box
      {...onPicture}
      position="absolute"
      top="12px"
      left="14px"
      px="12px"
      py="5px"
      maxW="80%"
      pointerEvents="none"
    >
      <Text as="span" fontWeight="700">
        {name}
      </Text>{' '}
      <Text as="span" opacity={0.85}>
        · {sees}
      </Text>
    </Box>
  )
}
