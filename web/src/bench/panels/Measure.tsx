import { Box, Flex, Input, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Fragment, useState } from 'react'
import { Button } from '../../ui/Button'
import { ask, client, type Judged, type Key } from '../../ui/client'
import { inUnit, known, plusMinus, spoken, upper } from '../../ui/format'
import { Quantity, Pill } from '../../ui/Verdict'
import { BodyFigure } from '../BodyFigure'
import { foundOn, keyName, repeats, roleOf, valuesAt, type BenchContext, type Tool } from '../benchModel'
import { Fold, Plain } from './Film'
import { Callout, Hint, Section } from '../../ui/Panel'

/** Placing: which landmark is next, the picture's scale, and the numbers so far. */
export function Measure({
  context,
  frame,
  rungs,
  needs,
  placed,
  followed,
  armed,
  onArm,
  tool,
  onTool,
  preview,
  onNextRung,
  first,
  children,
}: {
  context: BenchContext
  frame: number
  rungs: Key[]
  needs: string[]
  placed: Set<string>
  followed: Set<string>
  armed?: string
  onArm: (l: string) => void
  tool?: Tool
  onTool: (t: Tool | undefined) => void
  preview?: Judged[]
  onNextRung?: () => void
  /** What is to be looked at before all else. */
  first: React.ReactNode
  /** Following the points, and what is in space; it stays as it is when another picture is shown. */
  children: React.ReactNode
}) {
  const extras = context.reading?.extras.filter((x) => x.frame === frame) ?? []
  if (rungs.length === 0 && extras.length === 0) {
    return (
      <>
        {first}
        <Section title="Landmarks">
          <Hint>
            Values are read off stamped pictures. Choose a stamped rung on the ladder (W, E), or stamp this picture
            first.
          </Hint>
        </Section>
        <Fragment key="rest">{children}</Fragment>
        <Marks context={context} frame={frame} tool={tool} onTool={onTool} />
        <Hand context={context} frame={frame} tool={tool} onTool={onTool} />
      </>
    )
  }
  const fresh = new Map(preview?.map((v) => [v.key, v]))
  const values = rungs.flatMap((k) => valuesAt(context.reading, k.id)).map((v) => fresh.get(v.key) ?? v)
  const done = needs.filter((n) => placed.has(n)).length
  const open = new Set(foundOn(context.bench, context.paths, frame).map((m) => m.name))
  const found = needs.filter((n) => open.has(n)).length
  const carried = needs.filter((n) => followed.has(n)).length - found
  const { scale, level, origin } = context.bench.calibration
  const marked = scale && level && (origin || !context.event.line)
  const role = armed && roleOf(armed, context.bench)
  const scatter = context.reading?.scatter
  return (
    <>
      {scatter && (
        <Callout tone="ochre">
          {upper(scatter)}. Look at the points again, or place some by hand at the key positions.
        </Callout>
      )}
      {first}
      <Section
        title={
          rungs.length
            ? rungs.map((k) => k.name).join(', ')
            : `${extras[0].for}, ${keyName(context.event, extras[0].keyId)}`
        }
        aside={
          needs.length
            ? [`${done} of ${needs.length} placed`, carried && `${carried} followed`, found && `${found} found`]
                .filter(Boolean)
                .join(', ')
            : ''
        }
      >
        {needs.length === 0 ? (
          <Hint>No landmarks are needed here: this stamp is used for its time.</Hint>
        ) : (
          <>
            <BodyFigure
              context={context}
              needs={needs}
              placed={placed}
              followed={followed}
              armed={armed}
              onArm={onArm}
            />
            {armed ? (
              <Text aria-live="polite" aria-label="To place">
                {placed.has(armed) ? 'Place again: ' : 'Place the '}
                <b>{spoken(armed)}</b>
                {role !== 'middle' && (
                  <Text as="span" color={role === 'front' ? 'brick' : 'sky'}>
                    {' '}
                    ({role})
                  </Text>
                )}
              </Text>
            ) : (
              <Flex align="center" gap="8px" wrap="wrap">
                <Text fontWeight="600" aria-live="polite">
                  {found > 0 ? 'Found, to be confirmed.' : 'This position is done.'}
                </Text>
                {onNextRung && found === 0 && (
                  <Button h="36px" main onClick={onNextRung}>
                    Next position · E
                  </Button>
                )}
              </Flex>
            )}
          </>
        )}
      </Section>
      <Extras
        context={context}
        frame={frame}
        places={rungs.length ? rungs.map((k) => k.id) : extras.map((x) => x.keyId)}
      />
      {!marked && <Marks context={context} frame={frame} tool={tool} onTool={onTool} />}
      <Values title="Values" values={values.filter((v) => !v.record)} context={context} />
      <Values title="For the record" values={values.filter((v) => v.record)} context={context} />
      <Moved context={context} />
      <Fragment key="rest">{children}</Fragment>
      {marked && <Marks context={context} frame={frame} tool={tool} onTool={onTool} />}
      <Hand
        context={context}
        frame={frame}
        tool={tool}
        onTool={onTool}
        knee={needs.find((n) => n.startsWith('knee'))}
      />
    </>
  )
}

/** Values of one kind: what faults are found by, or what is kept for the record. */
function Values({ title, values, context }: { title: string; values: Judged[]; context: BenchContext }) {
  if (values.length === 0) return null
  return (
    <Section title={title} aside="± is 2 u">
      {values.map((v) => (
        <chakra.button
          key={v.key}
          display="flex"
          w="100%"
          minH="30px"
          alignItems="center"
          gap="8px"
          textAlign="left"
          cursor="pointer"
          onClick={() => context.open(v.key)}
          _hover={{ bg: 'paper' }}
          data-value={v.key}
        >
          <Text flex="1" minW="0" lineHeight="1.15">
            {v.name}
            {!known(v) && (
              <Text as="span" color="soft" fontSize="12px">
                {' '}
                · {v.missing.map((m) => m.what).join(', ')}
              </Text>
            )}
          </Text>
          {known(v) && <Quantity v={v} />}
          {known(v) && v.band && <Pill of={v.verdict} />}
        </chakra.button>
      ))}
    </Section>
  )
}

/** Pictures beside a key position on which a measure wants a landmark too. */
function Extras({ context, frame, places }: { context: BenchContext; frame: number; places: string[] }) {
  const list = context.reading?.extras.filter((x) => places.includes(x.keyId)) ?? []
  if (list.length === 0) return null
  const has = (x: (typeof list)[number]) =>
    context.bench.landmarks.some((l) => l.frame === x.frame && l.name === x.landmark)
  return (
    <Section title={list[0].for} aside={`${list.filter(has).length} of ${list.length} placed`}>
      <Hint>
        It wants the {spoken(list[0].landmark)} on pictures{' '}
        {list[0].frame < (context.bench.stamps[list[0].keyId] ?? 0) ? 'just before' : 'from there on'}.
      </Hint>
      <Flex gap="6px" mt="4px" wrap="wrap">
        {list.map((x) => (
          <Button
            key={x.frame}
            h="34px"
            aria-current={x.frame === frame || undefined}
            onClick={() => context.go(x.frame)}
          >
            {has(x) ? '✓ ' : ''}picture {x.frame}
          </Button>
        ))}
        <Button h="34px" onClick={() => context.visit(list[0].keyId)}>
          {keyName(context.event, list[0].keyId)}
        </Button>
      </Flex>
    </Section>
  )
}

/** What the last change did to the numbers, beside their ±. */
function Moved({ context }: { context: BenchContext }) {
  const { id, version } = context.bench
  const reading = context.reading?.version
  const moved = useQuery({
    queryKey: ['moved', id, version, context.bench.other?.version],
    queryFn: () => ask(client.GET('/api/attempts/{id}/moved', { params: { path: { id } } })),
    enabled: reading === version,
    placeholderData: (b) => b,
  })
  const changes = moved.data?.changes ?? []
  if (changes.length === 0) return null
  const show = (v: number | undefined, u: number, unit: string) =>
    v === undefined ? 'not known' : `${inUnit(v, unit)} ${plusMinus(u, unit)}`
  return (
    <Fold title={`Moved by the last change: ${changes.length}`}>
      {changes.map((c) => (
        <Box key={c.key} fontSize="13px" mb="5px" lineHeight="1.25">
          <Text>
            {c.name}, {keyName(context.event, c.keyId)}
            {c.by > 0 && (
              <Text as="span" color="soft">
                {' '}
                · {c.by < 1 ? 'within its ±' : `by ${c.by.toFixed(1)} × its ±`}
              </Text>
            )}
          </Text>
          <Text css={{ fontVariantNumeric: 'tabular-nums' }}>
            {show(c.before, c.wasU, c.unit)} → <b>{show(c.after, c.u, c.unit)}</b>
          </Text>
        </Box>
      ))}
    </Fold>
  )
}

/** How well this hand places a point on this film: said once, by placing one joint five times. */
function Hand({
  context,
  frame,
  tool,
  onTool,
  knee,
}: {
  context: BenchContext
  frame: number
  tool?: Tool
  onTool: (t: Tool | undefined) => void
  knee?: string
}) {
  const own = context.bench.calibration.repeats
  const u = context.reading?.markU
  const on = tool?.kind === 'repeat'
  const landmark = own?.landmark ?? knee ?? `knee.${context.bench.side}`
  return (
    <Section title="Your hand on this film">
      {u !== undefined && (
        <Text fontSize="13px">
          A point is placed to <b>± {(2 * u).toFixed(1)} px</b>
          {own ? `, from ${own.points.length} times the ${spoken(own.landmark)}.` : ', the usual hand.'}
        </Text>
      )}
      {on ? (
        <Text role="status" mt="4px" fontWeight="600">
          Place the {spoken(tool.landmark)}: {tool.points.length + 1} of {repeats}. Look away between, or zoom out
          and in.
        </Text>
      ) : (
        <Hint>
          Place the {spoken(landmark)} on this picture {repeats} times, and every ± is yours.
        </Hint>
      )}
      <Flex gap="10px" mt="6px" align="center">
        <Button
          h="36px"
          aria-pressed={on}
          onClick={() => onTool(on ? undefined : { kind: 'repeat', landmark, points: [] })}
        >
          {on ? 'Leave it' : own ? 'Test again' : `Test on picture ${frame}`}
        </Button>
        {own && !on && (
          <Plain fontSize="13px" onClick={() => context.send({ kind: 'repeats' })}>
            back to the usual hand
          </Plain>
        )}
      </Flex>
    </Section>
  )
}

const same = (a: Tool | undefined, b: Tool) =>
  a?.kind === b.kind &&
  (b.kind !== 'scale' || (a.kind === 'scale' && a.what === b.what)) &&
  (b.kind !== 'level' || (a.kind === 'level' && a.vertical === b.vertical))

/** Scale, level and the line: said of the picture once, by clicks. */
function Marks({
  context,
  frame,
  tool,
  onTool,
}: {
  context: BenchContext
  frame: number
  tool?: Tool
  onTool: (t: Tool | undefined) => void
}) {
  const { scale, level, origin, distance } = context.bench.calibration
  const measured = context.reading?.scale
  const offer = context.reading?.scaleOffer
  const pick = (t: Tool, label: string) => {
    const on = same(tool, t)
    return (
      <chakra.button
        key={label}
        onClick={() => onTool(on ? undefined : t)}
        aria-pressed={on}
        h="30px"
        px="9px"
        borderRadius="full"
        borderWidth="1px"
        fontSize="12.5px"
        fontWeight="600"
        cursor="pointer"
        bg={on ? 'ink' : 'transparent'}
        color={on ? 'paper' : 'ink'}
        borderColor={on ? 'ink' : 'hair'}
      >
        {label}
      </chakra.button>
    )
  }
  const says =
    tool?.kind === 'origin'
      ? `Press on the ${context.event.line}, at its edge nearest to the athlete.`
      : tool?.kind === 'scale'
        ? `Press on both ends of: ${tool.what}.`
        : tool?.kind === 'level'
          ? `Press two points of a line that is ${tool.vertical ? 'vertical' : 'level'} in truth.`
          : ''
  return (
    <Section title="The picture's scale">
      <Row
        name="Scale"
        value={
          scale &&
          `${scale.what}:${measured ? ` 1 m = ${measured.pxPerM.toFixed(0)} ± ${(2 * measured.u).toFixed(0)} px` : ''}`
        }
        onClear={() => context.send({ kind: 'scale' })}
      >
        {offer && (
          <Button h="30px" px="9px" main onClick={() => context.send({ kind: 'scale', scale: offer })}>
            take the standing height, {offer.metres} m ± {(200 * (offer.u ?? 0)).toFixed(0)} cm
          </Button>
        )}
        {context.event.lengths.map((l) =>
          pick({ kind: 'scale', metres: l.metres, what: l.name }, `${l.name}, ${l.metres} m`),
        )}
        <OtherLength tool={tool} onTool={onTool} />
      </Row>
      <Row
        name="Level"
        value={level && (level.vertical ? 'a vertical is marked' : 'a level line is marked')}
        onClear={() => context.send({ kind: 'level' })}
      >
        {pick({ kind: 'level', vertical: false }, 'two level points')}
        {pick({ kind: 'level', vertical: true }, 'two points of a post')}
      </Row>
      <Row
        name="Camera"
        value={distance ? `${distance} m away` : undefined}
        onClear={() => context.send({ kind: 'distance' })}
      >
        <Flex
          as="form"
          gap="4px"
          align="center"
          onSubmit={(e) => {
            e.preventDefault()
            const m = Number(
              new FormData(e.currentTarget as unknown as HTMLFormElement)
                .get('distance')
                ?.toString()
                .replace(',', '.'),
            )
            if (m > 0) context.send({ kind: 'distance', distance: m })
          }}
        >
          <Input
            name="distance"
            aria-label="How far the camera stood, m"
            placeholder="how far, m"
            inputMode="decimal"
            size="xs"
            h="30px"
            w="92px"
            bg="paper"
          />
          <Button type="submit" h="30px" px="8px">
            say so
          </Button>
        </Flex>
      </Row>
      {context.event.line && (
        <Row
          name={capital(context.event.line)}
          value={origin && 'marked'}
          onClear={() => context.send({ kind: 'origin' })}
        >
          {pick({ kind: 'origin' }, 'mark it')}
        </Row>
      )}
      {context.paths && context.paths.toFirst.length > 0 && (
        <Hint>
          The camera moved; it is taken out of every length. What is marked here holds for picture {frame}.
        </Hint>
      )}
      {says && (
        <Text role="status" mt="4px" fontWeight="600">
          {says}
        </Text>
      )}
    </Section>
  )
}

/** A length that the coach knows and the event does not. */
function OtherLength({ tool, onTool }: { tool?: Tool; onTool: (t: Tool | undefined) => void }) {
  const [open, setOpen] = useState(false)
  const [what, setWhat] = useState('')
  const [metres, setMetres] = useState('')
  const m = Number(metres.replace(',', '.'))
  const on = tool?.kind === 'scale' && tool.what === what
  if (!open)
    return (
      <Plain fontSize="12.5px" onClick={() => setOpen(true)}>
        another length
      </Plain>
    )
  return (
    <Flex
      as="form"
      gap="4px"
      wrap="wrap"
      onSubmit={(e) => {
        e.preventDefault()
        if (m > 0 && what.trim()) onTool({ kind: 'scale', metres: m, what: what.trim() })
      }}
    >
      <Input
        aria-label="What it is"
        placeholder="cone to cone"
        size="xs"
        h="30px"
        w="112px"
        value={what}
        onChange={(e) => setWhat(e.currentTarget.value)}
      />
      <Input
        aria-label="Its length, m"
        placeholder="m"
        inputMode="decimal"
        size="xs"
        h="30px"
        w="52px"
        value={metres}
        onChange={(e) => setMetres(e.currentTarget.value)}
      />
      <Button type="submit" h="30px" px="8px" disabled={!(m > 0) || !what.trim()} aria-pressed={on}>
        mark it
      </Button>
    </Flex>
  )
}

const capital = (s: string) => s[0].toUpperCase() + s.slice(1)

function Row({
  name,
  value,
  onClear,
  children,
}: {
  name: string
  value?: string
  onClear: () => void
  children: React.ReactNode
}) {
  return (
    <Flex align="center" gap="6px" wrap="wrap" mb="4px" minH="32px">
      <Text w="62px" color="soft" fontSize="12.5px">
        {name}
      </Text>
      {value ? (
        <>
          <Text flex="1" minW="0" lineHeight="1.2">
            {value}
          </Text>
          <chakra.button
            aria-label={`Clear: ${name}`}
            fontSize="12.5px"
            textDecoration="underline"
            color="soft"
            cursor="pointer"
            onClick={onClear}
          >
            clear
          </chakra.button>
        </>
      ) : (
        <Box flex="1" display="flex" gap="4px" flexWrap="wrap">
          {children}
        </Box>
      )}
    </Flex>
  )
}
