import { Box, Flex, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { Button, Pills } from '../../ui/Button'
import { ask, client, type Clip, type Schemas } from '../../ui/client'
import { longDay, size } from '../../ui/format'
import { sources } from '../ControlBar'
import { TrimClip } from '../TrimClip'
import { viewNames, type BenchContext, type Tool } from '../benchModel'
import { Callout, Hint, Section } from '../../ui/Panel'
import { ConfirmErase } from '../../ui/ConfirmErase'

type Tools = { tool?: Tool; onTool: (t: Tool | undefined) => void }

/** All that has to be said of the film, and what it is good for. */
export function Film({
  context,
  clip,
  frame,
  tool,
  onTool,
  onChange,
}: { context: BenchContext; clip: Clip; frame: number; onChange: () => void } & Tools) {
  return (
    <>
      <Section title="The film">
        <Rate context={context} clip={clip} frame={frame} tool={tool} onTool={onTool} />
        <View context={context} clip={clip} />
      </Section>
      <Checks context={context} />
      <Fold title="Slowed only in part">
        <Ramp context={context} frame={frame} />
      </Fold>
      <Fold title="Several people in the picture">
        <Subject context={context} tool={tool} onTool={onTool} />
      </Fold>
      {clip.sound && context.event.keys.some((k) => k.id === 'gun') && (
        <Fold title="Sound, for the gun">
          <Sound context={context} clip={clip} />
        </Fold>
      )}
      <Fold title="File, part and place">
        <FileAndPart context={context} clip={clip} onChange={onChange} />
      </Fold>
    </>
  )
}

export function Fold({
  title,
  open,
  onOpen,
  children,
}: {
  title: string
  open?: boolean
  onOpen?: (open: boolean) => void
  children: React.ReactNode
}) {
  return (
    <chakra.details
      open={open}
      onToggle={(e) => onOpen?.(e.currentTarget.open)}
      mb="8px"
      borderTopWidth="1px"
      borderColor="hair"
      pt="6px"
    >
      <chakra.summary cursor="pointer" fontWeight="600" minH="28px">
        {title}
      </chakra.summary>
      <Box pt="4px" pb="6px">
        {children}
      </Box>
    </chakra.details>
  )
}

export function Plain({
  onClick,
  children,
  ...rest
}: { onClick: () => void; children: React.ReactNode } & React.ComponentProps<typeof chakra.button>) {
  return (
    <chakra.button textDecoration="underline" cursor="pointer" onClick={onClick} {...rest}>
      {children}
    </chakra.button>
  )
}

function View({ context, clip }: { context: BenchContext; clip: Clip }) {
  return (
    <>
      <Text fontSize="12.5px" color="soft" mt="8px">
        The camera sees
      </Text>
      <NativeSelect.Root size="sm">
        <NativeSelect.Field
          aria-label="View"
          bg="paper"
          borderColor="hair"
          h="40px"
          value={clip.view}
          onChange={(e) => context.send({ kind: 'view', view: e.currentTarget.value, rightward: clip.rightward })}
        >
          {context.event.views.map((v) => (
            <option key={v} value={v}>
              {viewNames(context.bench.feet)[v] ?? v}
            </option>
          ))}
          {!context.event.views.includes(clip.view) && (
            <option value={clip.view}>{viewNames(context.bench.feet)[clip.view] ?? clip.view}</option>
          )}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      <Flex align="center" gap="8px" mt="8px" wrap="wrap">
        <Text fontSize="12.5px" color="soft">
          {context.event.roles.some((r) => r.id === 'throwing') ? 'Throws to the' : 'Runs to the'}
        </Text>
        <Pills
          label="Direction of travel"
          options={[
            ['right', 'right'],
            ['left', 'left'],
          ]}
          value={clip.rightward ? 'right' : 'left'}
          onPick={(d) => context.send({ kind: 'view', view: clip.view, rightward: d === 'right' })}
        />
      </Flex>
    </>
  )
}

const usual = ['30', '60', '120', '240', '480'] as const

function Rate({
  context,
  clip,
  frame,
  tool,
  onTool,
}: { context: BenchContext; clip: Clip; frame: number } & Tools) {
  const [own, setOwn] = useState('')
  const [changing, setChanging] = useState(false)
  const { id, version } = context.bench
  const rates = useQuery({
    queryKey: ['rates', id, version],
    queryFn: () => ask(client.GET('/api/attempts/{id}/rates', { params: { path: { id } } })),
    placeholderData: (b) => b,
  })
  const choose = (rate: number) => {
    context.send({ kind: 'rate', rate, rateSource: 'chosen' })
    setChanging(false)
  }
  const unknown = clip.captureRate === 0
  const others = rates.data?.ways.filter((w) => !w.used) ?? []
  return (
    <>
      {!unknown && (
        <Text>
          Filmed at{' '}
          <b>
            {clip.captureRate.toFixed(clip.captureRate % 1 ? 1 : 0)}
            {clip.rateU > 0 && ` ± ${(2 * clip.rateU).toFixed(1)}`} pictures/s
          </b>{' '}
          {sources[clip.rateSource]}.{' '}
          <Plain onClick={() => setChanging(!changing)} aria-expanded={changing}>
            {changing ? 'leave it' : 'change or measure'}
          </Plain>
        </Text>
      )}
      {rates.data?.warnings.map((w) => (
        <Box key={w} role="alert" mt="6px">
          <Callout tone="plum">
            <Text fontSize="13px">{w[0].toUpperCase() + w.slice(1)}.</Text>
          </Callout>
        </Box>
      ))}
      {(unknown || changing) && (
        <Box p="10px" mt="6px" borderWidth="1px" borderColor={unknown ? 'plum' : 'hair'} borderRadius="8px">
          <Text fontWeight="600" mb="6px">
            At how many pictures a second was this filmed?
          </Text>
          <Pills
            label="Capture rate"
            options={usual.map((r) => [r, r])}
            value={usual.find((r) => Number(r) === clip.captureRate)}
            onPick={(r) => choose(Number(r))}
          />
          <Flex
            as="form"
            mt="8px"
            gap="6px"
            onSubmit={(e) => {
              e.preventDefault()
              if (Number(own) > 0) choose(Number(own))
            }}
          >
            <Small label="Another capture rate" placeholder="another" value={own} onChange={setOwn} />
            <Button h="36px" type="submit">
              Use it
            </Button>
          </Flex>
          <Hint>
            Slowed films play at 30 but were filmed faster: the phone's slow-motion setting says how fast.
          </Hint>
          {others.map((w) => (
            <Flex key={w.source} mt="6px" gap="8px" align="center">
              <Text flex="1" fontSize="13px">
                {w.lacks ? (
                  `${w.lacks[0].toUpperCase()}${w.lacks.slice(1)}.`
                ) : (
                  <>
                    <b>
                      {w.rate.toFixed(1)} ± {(2 * w.u).toFixed(1)}
                    </b>{' '}
                    {sources[w.source]}
                  </>
                )}
              </Text>
              {!w.lacks && (
                <Button
                  h="32px"
                  aria-label={`Use the rate ${sources[w.source]}`}
                  onClick={() => {
                    context.send({ kind: 'rate', rateSource: w.source })
                    setChanging(false)
                  }}
                >
                  Use
                </Button>
              )}
            </Flex>
          ))}
          <Interval context={context} frame={frame} />
          <Fall context={context} clip={clip} placed={rates.data?.falling ?? 0} tool={tool} onTool={onTool} />
        </Box>
      )}
    </>
  )
}

export function Small({
  label,
  width = 90,
  ...rest
}: {
  label: string
  placeholder?: string
  value: string
  width?: number
  onChange: (v: string) => void
}) {
  return (
    <chakra.input
      aria-label={label}
      title={label}
      inputMode="decimal"
      w={`${width}px`}
      h="36px"
      px="8px"
      borderRadius="8px"
      borderWidth="1px"
      borderColor="hair"
      bg="paper"
      {...rest}
      onChange={(e) => rest.onChange(e.target.value.replace(',', '.'))}
    />
  )
}

/** Two pictures and the seconds between them: a clock in the picture, a metronome, a start signal and a hand. */
function Interval({ context, frame }: { context: BenchContext; frame: number }) {
  const known = context.bench.calibration.knownInterval
  const [from, setFrom] = useState<number>()
  const [seconds, setSeconds] = useState('')
  const [u, setU] = useState('0.02')
  if (known) {
    return (
      <Text mt="10px" fontSize="13px">
        {known.seconds} s pass between pictures {known.from} and {known.to}.{' '}
        <Plain onClick={() => context.send({ kind: 'knownInterval' })}>clear</Plain>
      </Text>
    )
  }
  return (
    <Box mt="10px" fontSize="13px">
      <Text fontWeight="600">Measure it by a known interval</Text>
      <Hint>
        A running clock in the picture, or anything whose seconds you know. Step to the first picture of each
        change.
      </Hint>
      <Flex gap="6px" align="center" wrap="wrap" mt="4px">
        <Button h="36px" onClick={() => setFrom(frame)}>
          {from === undefined ? `From picture ${frame}` : `From ${from}`}
        </Button>
        {from !== undefined && (
          <>
            <Text>to {frame}:</Text>
            <Small label="Seconds between" placeholder="seconds" value={seconds} onChange={setSeconds} width={74} />
            <Text>known to ±</Text>
            <Small label="Seconds, uncertainty" value={u} onChange={setU} width={56} />
            <Button
              h="36px"
              disabled={!(Number(seconds) > 0) || frame <= from}
              onClick={() =>
                context.send({
                  kind: 'knownInterval',
                  knownInterval: { from, to: frame, seconds: Number(seconds), u: Math.max(0, Number(u) || 0) / 2 },
                })
              }
            >
              Keep
            </Button>
          </>
        )}
      </Flex>
    </Box>
  )
}

function Fall({
  context,
  clip,
  placed,
  tool,
  onTool,
}: { context: BenchContext; clip: Clip; placed: number } & Tools) {
  const on = tool?.kind === 'fall'
  const stride = Math.max(1, Math.round((clip.captureRate || clip.playbackRate) / 40))
  const clear = () =>
    context.bench.landmarks
      .filter((l) => l.name === 'implement')
      .forEach((l) => context.send({ kind: 'landmark', frame: l.frame, landmark: 'implement' }))
  return (
    <Box mt="10px" fontSize="13px">
      <Text fontWeight="600">Measure it by free fall</Text>
      <Hint>
        Something heavy that flies or falls freely, with the scale set in Measure. Press on it, picture after
        picture, along its whole flight.
      </Hint>
      <Flex gap="8px" align="center" mt="4px">
        <Button
          h="36px"
          aria-pressed={on}
          main={on}
          onClick={() => onTool(on ? undefined : { kind: 'fall', stride })}
        >
          {on ? 'Done placing' : 'Place it'}
        </Button>
        <Text>{placed} placed</Text>
        {placed > 0 && <Plain onClick={clear}>clear</Plain>}
      </Flex>
      {on && (
        <Text role="status" mt="4px" fontWeight="600">
          Press on the middle of the falling thing. The film goes on by {stride} after each press.
        </Text>
      )}
    </Box>
  )
}

const tones = { good: 'grass', fair: 'ochre', poor: 'plum', "can't tell": 'mist' } as const

/** What the film is good for, the worst first; each says what to do next time. */
function Checks({ context }: { context: BenchContext }) {
  const { id, version } = context.bench
  const checks = useQuery({
    queryKey: ['checks', id, version],
    queryFn: () => ask(client.GET('/api/attempts/{id}/checks', { params: { path: { id } } })),
    placeholderData: (b) => b,
  })
  const bad = checks.data?.filter((c) => c.state !== 'good') ?? []
  const good = checks.data?.filter((c) => c.state === 'good') ?? []
  return (
    <Section
      title="Film checks"
      aside={checks.data && checks.data.length > 0 && `${good.length} of ${checks.data.length} good`}
    >
      {checks.data?.length === 0 && <Hint>Simulated, no film: there is nothing to check.</Hint>}
      {bad.map((c) => (
        <Callout key={c.id} tone={tones[c.state]}>
          <Text fontSize="13px">
            <b>
              {c.name}: {c.state}.
            </b>{' '}
            {c.says[0].toUpperCase() + c.says.slice(1)}.
          </Text>
          {c.next && (
            <Text fontSize="12.5px" color="soft">
              {c.next}
            </Text>
          )}
        </Callout>
      ))}
      {good.length > 0 && (
        <Text fontSize="12.5px" color="soft" title={good.map((c) => `${c.name}: ${c.says}`).join('\n')}>
          Good: {good.map((c) => c.name.toLowerCase()).join(', ')}.
        </Text>
      )}
    </Section>
  )
}

function Ramp({ context, frame }: { context: BenchContext; frame: number }) {
  const ramp = context.bench.calibration.ramp
  const [from, setFrom] = useState<number>()
  if (ramp)
    return (
      <Text fontSize="13px">
        Slowed from picture {ramp.from} to {ramp.to}; real speed before and after.{' '}
        <Plain onClick={() => context.send({ kind: 'ramp' })}>slowed all along</Plain>
      </Text>
    )
  return (
    <>
      <Hint>
        Some exports play at real speed, then slowed, then at real speed again. Say where the slow part begins and
        ends: times are wrong otherwise.
      </Hint>
      <Flex gap="6px" mt="6px" wrap="wrap">
        <Button h="36px" onClick={() => setFrom(frame)}>
          {from === undefined ? `Slow from picture ${frame}` : `Slow from ${from}`}
        </Button>
        {from !== undefined && (
          <Button
            h="36px"
            disabled={frame <= from}
            onClick={() => context.send({ kind: 'ramp', ramp: { from, to: frame } })}
          >
            to picture {frame}
          </Button>
        )}
      </Flex>
    </>
  )
}

function Subject({ context, tool, onTool }: { context: BenchContext } & Tools) {
  const { subject } = context.bench.calibration
  const on = tool?.kind === 'subject'
  return (
    <>
      <Hint>Frame the athlete once, by two corners: cards and strips show them, not their neighbour.</Hint>
      <Flex gap="8px" mt="6px" align="center" wrap="wrap">
        <Button h="36px" aria-pressed={on} onClick={() => onTool(on ? undefined : { kind: 'subject' })}>
          {subject ? 'Frame again' : 'Frame the athlete'}
        </Button>
        {subject && (
          <>
            <Text fontSize="13px">on picture {subject.frame}</Text>
            <Plain onClick={() => context.send({ kind: 'subject' })}>clear</Plain>
          </>
        )}
      </Flex>
      {on && (
        <Text role="status" mt="4px" fontWeight="600">
          Press above the head at one side, then below the feet at the other.
        </Text>
      )}
    </>
  )
}

function Sound({ context, clip }: { context: BenchContext; clip: Clip }) {
  const [metres, setMetres] = useState('15')
  const m = Number(metres)
  const heard = useQuery({
    queryKey: ['loudness', clip.id, context.bench.version, m],
    queryFn: () =>
      ask(client.GET('/api/clips/{id}/loudness', { params: { path: { id: clip.id }, query: { metres: m } } })),
    enabled: m >= 0 && m <= 500,
    placeholderData: (b) => b,
  })
  const bang = heard.data?.bang
  const levels = heard.data?.levels ?? []
  const tall = 34
  return (
    <>
      <svg
        viewBox={`0 0 ${Math.max(1, levels.length)} ${tall}`}
        preserveAspectRatio="none"
        width="100%"
        height={tall}
        role="img"
        aria-label="Loudness along the film"
      >
        {levels.map((v, i) => (
          <rect key={i} x={i} y={tall * (1 - v)} width={1} height={tall * v} fill="var(--chakra-colors-mist)" />
        ))}
        {bang && (
          <rect x={bang.frame - clip.first - 0.5} y={0} width={2} height={tall} fill="var(--chakra-colors-ink)" />
        )}
      </svg>
      <Flex align="center" gap="8px" my="4px" fontSize="13px">
        <Text>Gun to camera, m</Text>
        <Small label="Metres from the gun to the camera" value={metres} onChange={setMetres} width={56} />
        <Text color="soft">2.9 ms a metre</Text>
      </Flex>
      {bang ? (
        <Flex align="center" gap="8px" wrap="wrap">
          <Text fontSize="13px">
            Sharpest sound: picture {bang.frame}, ± {(2000 * bang.u).toFixed(1)} ms
          </Text>
          <Button h="32px" onClick={() => context.go(bang.frame)}>
            Go there
          </Button>
        </Flex>
      ) : (
        <Hint>No sound stands out.</Hint>
      )}
      <audio
        controls
        src={`/api/clips/${clip.id}/sound.wav`}
        style={{ width: '100%', height: 36, marginTop: 6 }}
        aria-label="Sound track"
      />
      <Hint>
        In slowed films, phones often stretch the sound or leave it out: trust it only when it fits the flash or the
        first move.
      </Hint>
    </>
  )
}

/** The file, the part that is kept, and whether it is with the right attempt and athlete. */
function FileAndPart({ context, clip, onChange }: { context: BenchContext; clip: Clip; onChange: () => void }) {
  const queries = useQueryClient()
  const nav = useNavigate()
  const [asked, setAsked] = useState<'clip' | 'attempt'>()
  const [part, setPart] = useState(false)
  const [error, setError] = useState('')
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const act = async (what: () => Promise<unknown>, then: () => void) => {
    try {
      await what()
      await queries.invalidateQueries({ queryKey: ['today'] })
      then()
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const free = today.data?.attempts.filter((a) => !a.clip && a.event === context.bench.event) ?? []
  const name = (a: Schemas['Line']) => `${a.athlete}, ${a.number} · ${longDay(a.day)}`
  const attempt = { params: { path: { id: context.bench.id } } },
    film = { params: { path: { id: clip.id } } }
  return (
    <>
      <Text fontSize="13px" truncate title={clip.name}>
        {clip.name}
      </Text>
      <Text fontSize="12.5px" color="soft">
        {size(clip.bytes)} · {clip.codec} · {clip.width} × {clip.height} · {clip.frames} of {clip.pictures} pictures
        kept, {clip.keptWidth} px wide
      </Text>
      <Flex gap="12px" mt="4px" fontSize="13px" wrap="wrap">
        <a href={`/api/clips/${clip.id}/original`} download style={{ textDecoration: 'underline' }}>
          original file
        </a>
        <Plain onClick={() => setPart(true)}>keep another part</Plain>
        <Plain onClick={() => setAsked('clip')}>take the clip off</Plain>
        <Plain onClick={() => setAsked('attempt')}>erase the attempt</Plain>
      </Flex>
      <Move
        label="Of another athlete?"
        value={context.bench.athlete.id}
        options={today.data?.athletes.map((a) => [a.id, a.name]) ?? []}
        onPick={(a) =>
          act(() => ask(client.PUT('/api/attempts/{id}/athlete', { ...attempt, body: { athlete: a } })), onChange)
        }
      />
      {free.length > 0 && (
        <Move
          label="Of another attempt?"
          value=""
          options={[
            ['', 'choose an attempt without a clip'],
            ...free.map((a) => [a.id, name(a)] as [string, string]),
          ]}
          onPick={(to) =>
            to &&
            act(
              () => ask(client.POST('/api/clips/{id}/move', { ...film, body: { attempt: to } })),
              () => nav(`/attempts/${to}/watch`),
            )
          }
        />
      )}
      {error && (
        <Text role="alert" color="plum" mt="6px" fontWeight="600">
          {error}
        </Text>
      )}
      {asked === 'clip' && (
        <ConfirmErase
          says="Taking this clip off also takes its stamps and landmarks. This cannot be undone."
          yes="Take it off"
          onNo={() => setAsked(undefined)}
          onYes={() => act(() => ask(client.DELETE('/api/clips/{id}', film)), onChange)}
        />
      )}
      {asked === 'attempt' && (
        <ConfirmErase
          says={
            `This erases the attempt with its clip of ${size(clip.bytes)}, ` +
            `${Object.keys(context.bench.stamps).length} stamps, ${context.bench.landmarks.length} ` +
            `landmarks and ${context.bench.assignments.length} assignments. This cannot be undone.`
          }
          yes="Erase it"
          onNo={() => setAsked(undefined)}
          onYes={() =>
            act(
              () => ask(client.DELETE('/api/attempts/{id}', attempt)),
              () => nav('/'),
            )
          }
        />
      )}
      {part && (
        <Box position="fixed" inset="52px 0 0 0" zIndex={4} display="flex">
          <TrimClip clip={clip} onCancel={() => setPart(false)} onChosen={onChange} cancel="Leave it as it is" />
        </Box>
      )}
    </>
  )
}

function Move({
  label,
  value,
  options,
  onPick,
}: {
  label: string
  value: string
  options: [string, string][]
  onPick: (v: string) => void
}) {
  return (
    <Box mt="8px">
      <Text fontSize="12.5px" color="soft">
        {label}
      </Text>
      <NativeSelect.Root size="sm">
        <NativeSelect.Field
          aria-label={label}
          bg="paper"
          borderColor="hair"
          h="38px"
          value={value}
          onChange={(e) => e.currentTarget.value !== value && onPick(e.currentTarget.value)}
        >
          {options.map(([id, text]) => (
            <option key={id} value={id}>
              {text}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Box>
  )
}
