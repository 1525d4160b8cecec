import { Box, Flex, Text, Textarea, chakra } from '@chakra-ui/react'
import { useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { v7 as newId } from 'uuid'
import { Button } from '../../ui/Button'
import { ask, client, type Judged, type Reading, type Schemas } from '../../ui/client'
import { known, upper } from '../../ui/format'
import { Gauge, Quantity, Pill, Shape } from '../../ui/Verdict'
import { Derivation } from '../Derivation'
import { keyName, type BenchContext } from '../benchModel'
import { Callout, Hint, Section } from '../../ui/Panel'
import { range, useChanges } from '../../ui/playbookChanges'

type Root = Reading['roots'][number]

const order = ['out', 'near', "can't tell", 'in', 'no band', 'missing'] as const

/** Praise, causes, verdicts: the app's reading. The coach decides what to work on. */
export function Judge({ context, opened }: { context: BenchContext; opened?: string }) {
  const { reading, bench } = context
  if (!reading) return <Hint>Stamp and measure first: verdicts appear here as their numbers do.</Hint>
  const judged = reading.values.filter((v) => known(v) && v.band)
  const of = (k: (typeof order)[number]) => judged.filter((v) => v.verdict === k)
  const unsure = reading.findings.filter((f) => f.state === "can't tell" && f.certainty > 0)
  const list = (values: Judged[]) =>
    values.map((v) => <Line key={v.key} context={context} v={v} open={opened === v.key} />)
  const folded = (k: (typeof order)[number], says: string) =>
    of(k).length > 0 && (
      <Fold says={`${of(k).length} ${says}`} open={of(k).some((v) => v.key === opened)}>
        {list(of(k))}
      </Fold>
    )
  return (
    <>
      <Section title="What is good">
        {bench.notes.good && <Callout tone="grass">{bench.notes.good}</Callout>}
        {reading.praise.map((p) => (
          <Callout key={p} tone="grass">
            {p}
          </Callout>
        ))}
        {!bench.notes.good && reading.praise.length === 0 && (
          <Hint>Say it in Watch, or measure: the verdicts deepest inside their bands appear here.</Hint>
        )}
      </Section>
      <Section title="What explains it" aside={reading.roots.length > 1 ? 'the first explains most' : undefined}>
        {reading.roots.length === 0 && <Text mb="8px">{reading.sentence}</Text>}
        {reading.roots.map((r) => (
          <Cause
            key={r.fault}
            context={context}
            root={r}
            proposed={reading.focuses.find((f) => f.fault === r.fault)}
          />
        ))}
        <Overruled context={context} />
        <Own context={context} />
      </Section>
      <Section
        title="Verdicts"
        aside={order
          .slice(0, 4)
          .flatMap((k) => (of(k).length ? [`${of(k).length} ${k}`] : []))
          .join(' · ')}
      >
        {list(of('out'))}
        {list(of('near'))}
        {folded('in', 'inside their bands')}
        {folded("can't tell", 'can’t be told')}
        {judged.length === 0 && <Hint>Nothing is measured yet: place the landmarks in Measure.</Hint>}
      </Section>
      <Lacking says="wait for something on this film" remedies={reading.lacking} />
      <Lacking says="this film never shows" remedies={reading.elsewhere} />
      <Looks context={context} />
      {reading.values.some((v) => known(v) && !v.band) && (
        <Fold says="Numbers for information">{list(reading.values.filter((v) => known(v) && !v.band))}</Fold>
      )}
      {unsure.length > 0 && (
        <Fold says={`${unsure.length} of ${reading.findings.length} faults can’t be told yet`}>
          {unsure.map((f) => (
            <Text key={f.fault} fontSize="13px" color="soft" py="2px">
              {f.name}: {f.signs.map((s) => s.says).join('; ')}
            </Text>
          ))}
        </Fold>
      )}
      <Hint>
        Targets guide a conversation. They do not replace a qualified coach on site or local rules, and are not
        medical advice.
      </Hint>
    </>
  )
}

/** What measures wait for, the cheapest for what it gives first. */
function Lacking({ says, remedies }: { says: string; remedies: Schemas['Remedy'][] }) {
  const measures = new Set(remedies.flatMap((r) => r.names)).size
  if (measures === 0) return null
  return (
    <Fold says={`${measures} measure${measures === 1 ? '' : 's'} ${says}`}>
      {remedies.map((r) => (
        <Text key={r.says} fontSize="13px" py="2px" lineHeight="1.3">
          {upper(r.says)}
          <Text as="span" color="soft">
            : {r.names.slice(0, 3).join(', ')}
            {r.names.length > 3 && ` and ${r.names.length - 3} more`}
          </Text>
        </Text>
      ))}
    </Fold>
  )
}

function Fold({ says, open, children }: { says: string; open?: boolean; children: React.ReactNode }) {
  return (
    <details open={open} style={{ marginBottom: 6 }}>
      <summary style={{ cursor: 'pointer', fontSize: 13.5, fontWeight: 600, minHeight: 28, lineHeight: '28px' }}>
        {says}
      </summary>
      {children}
    </details>
  )
}

function Line({ context, v, open }: { context: BenchContext; v: Judged; open: boolean }) {
  return (
    <Box borderBottomWidth="1px" borderColor="hair" py="4px">
      <chakra.button
        w="100%"
        textAlign="left"
        cursor="pointer"
        aria-expanded={open}
        onClick={() => context.open(open ? undefined : v.key)}
        data-value={v.key}
      >
        <Flex align="center" gap="6px" minH="26px">
          <Text fontWeight="600" lineHeight="1.15">
            {v.name}
            <Text as="span" fontWeight="400" color="soft">
              , {keyName(context.event, v.keyId)}
            </Text>
          </Text>
          {v.band && <Pill of={v.verdict} />}
          <Box flex="1" textAlign="right">
            <Quantity v={v} />
          </Box>
        </Flex>
        {v.band && <Gauge v={v} />}
        {v.beside && (
          <Text fontSize="12.5px" color="soft">
            {v.beside}
          </Text>
        )}
      </chakra.button>
      {open && v.ownBand && <ByOwn context={context} v={v} own={v.ownBand} />}
      {open && <Derivation v={v} />}
    </Box>
  )
}

/** Holds a measure of this athlete against the own best instead of the playbook's band, and back. */
function ByOwn({ context, v, own }: { context: BenchContext; v: Judged; own: NonNullable<Judged['ownBand']> }) {
  const changes = useChanges(context.event.id)
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const athlete = context.bench.athlete.id
  const was = changes.data?.now.find((c) => c.scope === 'athlete' && c.value === athlete)
  const same = (b: typeof own) =>
    (['at', 'level', 'sex', 'school', 'variant'] as const).every((k) => b[k] === own[k])
  const set = was?.patch.bands?.find((c) => c.measure === v.measure && same(c.band))
  const keep = async (bands: NonNullable<Schemas['Patch']['bands']>) => {
    try {
      await ask(
        client.POST('/api/playbook/{event}/changes', {
          params: { path: { event: context.event.id } },
          body: {
            id: newId(),
            on: was?.id,
            scope: 'athlete',
            value: athlete,
            yaml: '',
            patch: { ...was?.patch, bands },
          },
        }),
      )
      setError('')
      await Promise.all([
        changes.refetch(),
        queries.invalidateQueries({ queryKey: ['reading'] }),
        queries.invalidateQueries({ queryKey: ['playbook'] }),
      ])
    } catch (err) {
      setError((err as Error).message)
    }
  }
  const others = (was?.patch.bands ?? []).filter((c) => c !== set)
  if (!changes.data) return null
  return (
    <Flex align="center" gap="8px" wrap="wrap" fontSize="12.5px" pb="4px">
      {set ? (
        <Text color="soft" flex="1">
          Held against a band for {context.bench.athlete.name} alone.
        </Text>
      ) : (
        <Text color="soft" flex="1">
          The own best would be {range(own, v.unit)}.
        </Text>
      )}
      <Button h="32px" onClick={() => keep(set ? others : [...others, { measure: v.measure, band: own }])}>
        {set ? 'Back to the playbook’s band' : 'Hold against the own best'}
      </Button>
      {error && (
        <Text role="alert" color="plum" fontWeight="600" w="100%">
          {error}
        </Text>
      )}
    </Flex>
  )
}

/** A fault turn by turn: how strong it is in each, and a press goes there. */
function Turns({ context, finding }: { context: BenchContext; finding: Reading['findings'][number] }) {
  if (finding.rounds.length < 2) return null
  return (
    <Flex gap="3px" align="center" my="4px" role="group" aria-label={`${finding.name}, ${finding.repeat ?? ''}`}>
      {finding.rounds.map((r) => (
        <chakra.button
          key={r.n}
          minW="32px"
          h="24px"
          borderRadius="5px"
          borderWidth="1px"
          fontSize="12px"
          fontWeight="600"
          cursor="pointer"
          title={`${keyName(context.event, r.at)}: ${r.state}`}
          borderColor={r.state === 'present' ? 'plum' : 'hair'}
          color={r.state === 'present' ? 'paper' : 'soft'}
          bg={r.state === 'present' ? 'plum' : 'transparent'}
          opacity={r.state === 'present' ? 0.45 + 0.55 * r.strength : 1}
          borderStyle={r.state === "can't tell" ? 'dashed' : 'solid'}
          onClick={() => context.visit(r.at)}
        >
          {r.n}
          {r.state === "can't tell" ? '?' : ''}
        </chakra.button>
      ))}
      <Text fontSize="12.5px" color="soft" ml="4px">
        {finding.repeat}
      </Text>
    </Flex>
  )
}

function Cause({
  context,
  root,
  proposed,
}: {
  context: BenchContext
  root: Root
  proposed?: Reading['focuses'][number]
}) {
  const finding = context.reading!.findings.find((f) => f.fault === root.fault)!
  const chosen = context.bench.focuses.some((f) => f.fault === root.fault)
  const [against, setAgainst] = useState(false)
  const evidence = finding.signs.filter((s) => s.state === 'present')
  return (
    <Box borderWidth="1px" borderColor={chosen ? 'ink' : 'hair'} borderRadius="10px" p="10px" mb="8px" bg="paper">
      <Flex align="center" gap="7px">
        <Shape of="out" size={11} />
        <Text fontWeight="700" flex="1">
          {root.name}
        </Text>
        <Text fontSize="12.5px" color="soft">
          explains {(100 * root.share).toFixed(0)} %
        </Text>
      </Flex>
      <Turns context={context} finding={finding} />
      {evidence.map((s) => (
        <chakra.button
          key={s.says}
          display="block"
          textAlign="left"
          fontSize="13px"
          cursor={s.key ? 'pointer' : 'default'}
          onClick={() => s.key && context.open(s.key)}
        >
          {s.says}
        </chakra.button>
      ))}
      {root.effects.map((e) => (
        <Flex key={e.fault} ml="5px" pl="12px" borderLeftWidth="2px" borderColor="plum" py="2px" gap="6px">
          <Text flex="1">
            leads to: {e.name.toLowerCase()}
            {e.via && e.via !== root.fault && (
              <Text as="span" color="soft">
                {' '}
                by way of {context.event.faults.find((f) => f.id === e.via)?.name.toLowerCase()}
              </Text>
            )}
          </Text>
          <Text color="soft" fontSize="12.5px">
            {(100 * e.share).toFixed(0)} %
          </Text>
        </Flex>
      ))}
      {root.leads.length > 0 && (
        <Text fontSize="12.5px" color="soft" ml="5px" pl="12px" borderLeftWidth="2px" borderColor="hair">
          can lead to: {root.leads.join(', ')}
        </Text>
      )}
      {root.behind.length > 0 && (
        <Text fontSize="12.5px" color="soft" mt="2px">
          behind it, perhaps: {root.behind.join(', ')}
        </Text>
      )}
      {proposed?.care && (
        <Callout tone="ochre">
          <Text fontSize="13px">{proposed.care}</Text>
        </Callout>
      )}
      <Flex gap="6px" mt="8px" align="center">
        {chosen ? (
          <>
            <Text flex="1" fontWeight="600">
              ● In focus
            </Text>
            <Button h="36px" onClick={() => context.send({ kind: 'focus', fault: root.fault })}>
              Take it off
            </Button>
          </>
        ) : (
          <>
            <Button
              h="36px"
              main={!!proposed}
              onClick={() =>
                context.send({ kind: 'focus', fault: root.fault, why: proposed?.why ?? context.reading!.sentence })
              }
            >
              Make it the focus
            </Button>
            <Button h="36px" onClick={() => setAgainst(!against)} aria-expanded={against}>
              It is not there…
            </Button>
          </>
        )}
      </Flex>
      {against && !chosen && (
        <Reason
          label="Why it is not there"
          onSay={(why) => {
            context.send({ kind: 'overrule', fault: root.fault, overrule: { state: 'absent', why } })
            setAgainst(false)
          }}
        >
          Your word wins: the causes are worked out anew without it, and the reason is kept.
        </Reason>
      )}
    </Box>
  )
}

function Reason({
  label,
  onSay,
  children,
}: {
  label: string
  onSay: (why: string) => void
  children: React.ReactNode
}) {
  const [why, setWhy] = useState('')
  return (
    <Box mt="6px">
      <Textarea
        aria-label={label}
        autoFocus
        rows={2}
        placeholder="Why?"
        bg="raised"
        borderColor="hair"
        p="8px"
        value={why}
        onChange={(e) => setWhy(e.target.value)}
      />
      <Button h="36px" mt="4px" disabled={!why.trim()} onClick={() => onSay(why.trim())}>
        Say so
      </Button>
      <Hint>{children}</Hint>
    </Box>
  )
}

/** What the coach said against the reading, and the way back. */
function Overruled({ context }: { context: BenchContext }) {
  return (
    <>
      {Object.entries(context.bench.overruled).map(([fault, o]) => (
        <Flex
          key={fault}
          align="center"
          gap="8px"
          borderWidth="1px"
          borderStyle="dashed"
          borderColor="ink"
          borderRadius="10px"
          p="8px 10px"
          mb="8px"
        >
          <Box flex="1">
            <Text fontWeight="600">
              {context.event.faults.find((f) => f.id === fault)?.name ?? fault}: you say it is{' '}
              {o.state === 'absent' ? 'not there' : 'there'}
            </Text>
            <Hint>{o.why}</Hint>
          </Box>
          <Button h="36px" onClick={() => context.send({ kind: 'overrule', fault })}>
            Take it back
          </Button>
        </Flex>
      ))}
    </>
  )
}

/** Another focus than the app would choose, with the coach's reason. */
function Own({ context }: { context: BenchContext }) {
  const [fault, setFault] = useState('')
  const [why, setWhy] = useState('')
  const roots = new Set(context.reading!.roots.map((r) => r.fault))
  const mine = context.bench.focuses.filter((f) => !roots.has(f.fault))
  const name = (id: string) => context.event.faults.find((f) => f.id === id)?.name ?? id
  return (
    <>
      {mine.map((f) => (
        <Flex
          key={f.fault}
          align="center"
          gap="8px"
          borderWidth="1px"
          borderColor="ink"
          borderRadius="10px"
          p="8px 10px"
          mb="8px"
        >
          <Box flex="1">
            <Text fontWeight="600">● In focus: {name(f.fault)}</Text>
            <Hint>{f.why}</Hint>
          </Box>
          <Button h="36px" onClick={() => context.send({ kind: 'focus', fault: f.fault })}>
            Take it off
          </Button>
        </Flex>
      ))}
      <details>
        <summary style={{ cursor: 'pointer', fontSize: 13.5, fontWeight: 600, minHeight: 28 }}>
          A fault or focus of your own
        </summary>
        <select
          aria-label="Focus of your own"
          value={fault}
          onChange={(e) => setFault(e.target.value)}
          style={{
            width: '100%',
            height: 38,
            borderRadius: 8,
            border: '1px solid var(--chakra-colors-hair)',
            background: 'var(--chakra-colors-paper)',
            padding: '0 8px',
            margin: '4px 0',
          }}
        >
          <option value="">which?</option>
          {context.event.faults
            .filter((f) => !context.bench.focuses.some((x) => x.fault === f.id))
            .map((f) => (
              <option key={f.id} value={f.id}>
                {f.name}
              </option>
            ))}
        </select>
        <Textarea
          aria-label="Why this focus"
          rows={2}
          placeholder="Why?"
          bg="paper"
          borderColor="hair"
          p="8px"
          value={why}
          onChange={(e) => setWhy(e.target.value)}
        />
        <Flex gap="6px" mt="4px">
          <Button
            h="36px"
            disabled={!fault || !why.trim()}
            onClick={() => {
              context.send({ kind: 'focus', fault, why: why.trim() })
              setFault('')
              setWhy('')
            }}
          >
            Make it the focus
          </Button>
          <Button
            h="36px"
            disabled={!fault || !why.trim()}
            onClick={() => {
              context.send({ kind: 'overrule', fault, overrule: { state: 'present', why: why.trim() } })
              setFault('')
              setWhy('')
            }}
          >
            It is there
          </Button>
        </Flex>
      </details>
    </>
  )
}

const presses = [
  ['good', 'Good'],
  ['off', 'Off'],
  ["can't see", "Can't see"],
] as const

/** What is judged by eye: one press each. */
function Looks({ context }: { context: BenchContext }) {
  return (
    <Section title="By eye">
      {context.event.looks.map((l) => {
        const now = context.bench.looks[l.id]
        return (
          <Box key={l.id} py="5px" borderBottomWidth="1px" borderColor="hair">
            <chakra.button fontWeight="600" textAlign="left" cursor="pointer" onClick={() => context.visit(l.at)}>
              {now === 'off' ? l.off : l.text}
              <Text as="span" fontWeight="400" color="soft">
                {' '}
                · {keyName(context.event, l.at)}
              </Text>
            </chakra.button>
            <Flex gap="4px" mt="3px" role="radiogroup" aria-label={l.text}>
              {presses.map(([id, text]) => (
                <chakra.button
                  key={id}
                  role="radio"
                  aria-checked={now === id}
                  onClick={() => context.send({ kind: 'look', look: l.id, verdict: now === id ? undefined : id })}
                  h="32px"
                  px="12px"
                  borderRadius="full"
                  borderWidth="1px"
                  fontSize="12.5px"
                  fontWeight="600"
                  cursor="pointer"
                  bg={now === id ? (id === 'off' ? 'plum' : id === 'good' ? 'grass' : 'mist') : 'transparent'}
                  color={now === id ? 'paper' : 'ink'}
                  borderColor={now === id ? 'transparent' : 'hair'}
                >
                  {text}
                </chakra.button>
              ))}
            </Flex>
          </Box>
        )
      })}
    </Section>
  )
}
