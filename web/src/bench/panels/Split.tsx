import { Box, Flex, Table, Text } from '@chakra-ui/react'
import { useState } from 'react'
import { Button, Pills } from '../../ui/Button'
import type { Key } from '../../ui/client'
import { seconds } from '../../ui/format'
import { KeyPoseIcon } from '../KeyPoseIcon'
import { beforeTheFilm, keyName, notInFilm, type BenchContext } from '../benchModel'
import { Plain } from './Film'
import { GroundMap } from './GroundMap'
import { Callout, Hint, Section } from '../../ui/Panel'
import { Turns } from './Turns'
import { TurnWheel } from './Wheel'

const natures: Record<string, string> = {
  contact: 'A contact: half a frame more is added to its ±, since first and last touch are hard to see.',
  change: 'A change: the instant lies between the picture before and this one.',
  onset: 'A movement begins: a whole frame is added to its ±, since it is seen a little late.',
  still: 'A still moment: the picture itself is the instant.',
}

type Tab = 'phases' | 'rounds' | 'wheel' | 'ground'

/** Stamping: which key position is next, what to look for, and what the stamps say so far. */
export function Split({
  context,
  frame,
  next,
  current,
  onStamp,
  onUnstamp,
  onLoop,
  children,
}: {
  context: BenchContext
  frame: number
  next?: Key
  current?: Key
  onStamp: (place: string) => void
  onUnstamp: (place: string) => void
  onLoop: (from: string, to: string, name: string) => void
  children: React.ReactNode
}) {
  const { reading, event, bench } = context
  const [tab, setTab] = useState<Tab>('phases')
  const total = event.keys.length,
    done = event.keys.filter((k) => bench.stamps[k.id] !== undefined).length
  const left = event.keys.filter((k) => notInFilm(bench, k.id) && bench.stamps[k.id] === undefined)
  const early = beforeTheFilm(event, bench)
  const leaveOut = (keys: Key[]) => context.send({ kind: 'notInFilm', keyIds: [...left, ...keys].map((k) => k.id) })
  const beat = current && reading?.keyTimes.find((b) => b.keyId === current.id)
  const repeats = event.keys.some((k) => k.id.includes('#'))
  const tabs: [Tab, string][] = [
    ['phases', 'phases'],
    ...(repeats
      ? [['rounds', event.keys.some((k) => k.id.startsWith('td-')) ? 'strides' : 'turns'] as [Tab, string]]
      : []),
    ...(reading?.wheel ? [['wheel', 'wheel'] as [Tab, string]] : []),
    ...(reading?.ground ? [['ground', 'ground'] as [Tab, string]] : []),
  ]
  return (
    <>
      {next ? (
        <Flex borderWidth="1px" borderColor="hair" borderRadius="10px" p="12px" mb="14px" bg="paper" gap="10px">
          <Box flex="1" minW="0">
            <Text color="soft" fontSize="12.5px">
              next · {done} of {total} stamped
            </Text>
            <Text fontSize="18px" fontWeight="700" lineHeight="1.2">
              {next.name}
              {next.optional && (
                <Text as="span" fontSize="13px" fontWeight="500" color="soft">
                  {' '}
                  optional
                </Text>
              )}
            </Text>
            <Text>{next.sees}</Text>
            <Flex gap="8px" mt="10px">
              <Button main onClick={() => onStamp(next.id)}>
                Stamp picture {frame} · F
              </Button>
            </Flex>
            <Plain fontSize="13px" minH="28px" onClick={() => leaveOut([next])}>
              Not in this film
            </Plain>
          </Box>
          <KeyPoseIcon context={context} place={next.id} size={64} />
        </Flex>
      ) : (
        <Box borderWidth="1px" borderColor="hair" borderRadius="10px" p="12px" mb="14px">
          <Text fontWeight="600">All {total} key positions are stamped.</Text>
          <Hint>Now place the landmarks: Measure.</Hint>
        </Box>
      )}
      {early.length > 0 && (
        <Callout tone="ochre">
          The film may begin after {early.length === 1 ? early[0].name : `${early.length} key positions`}.{' '}
          <Plain onClick={() => leaveOut(early)}>
            {early.length === 1 ? 'It is not in this film' : 'They are not in this film'}
          </Plain>
        </Callout>
      )}
      {left.length > 0 && (
        <Hint>
          Not in this film: {left.map((k) => k.name).join(', ')}.{' '}
          <Plain onClick={() => context.send({ kind: 'notInFilm', keyIds: [] })}>They are after all</Plain>
        </Hint>
      )}
      {children}
      <Box mb="10px">
        <Pills label="What the stamps say" options={tabs} value={tab} onPick={setTab} />
      </Box>
      {tab === 'phases' && current && bench.stamps[current.id] !== undefined && (
        <Section title={current.name} aside={beat ? `${seconds(beat.t)} ± ${(2 * beat.u).toFixed(3)}` : ''}>
          <Hint>{natures[current.nature]}</Hint>
          <Flex gap="8px" mt="8px" wrap="wrap">
            <Button h="36px" disabled={bench.stamps[current.id] === frame} onClick={() => onStamp(current.id)}>
              Move it to picture {frame}
            </Button>
            <Button h="36px" onClick={() => onUnstamp(current.id)}>
              Take it off · X
            </Button>
          </Flex>
        </Section>
      )}
      {reading && reading.order.length > 0 && (
        <Section title="Cannot be so">
          {reading.order.map((o) => (
            <Callout key={o} tone="plum">
              {o}
            </Callout>
          ))}
        </Section>
      )}
      {tab === 'rounds' && reading && <Turns context={context} rows={reading.rounds} />}
      {tab === 'wheel' && reading?.wheel && <TurnWheel context={context} wheel={reading.wheel} />}
      {tab === 'ground' && reading?.ground && <GroundMap context={context} ground={reading.ground} />}
      {tab === 'phases' && (
        <Section title="Phases" aside={reading?.zero ? `zero at ${keyName(event, reading.zero)} · ↻ loops` : ''}>
          {reading && reading.phases.length > 0 ? (
            <Table.Root
              size="sm"
              css={{
                '& td': { py: '3px', px: 0, borderColor: 'hair', bg: 'transparent' },
                '& tr': { bg: 'transparent' },
              }}
            >
              <Table.Body>
                {reading.phases.map((p) => {
                  const of = event.phases.find((x) => x.id === p.id)
                  return (
                    <Table.Row key={p.id}>
                      <Table.Cell>{p.name}</Table.Cell>
                      <Table.Cell textAlign="right" fontWeight="700">
                        {p.value.toFixed(3)} s
                      </Table.Cell>
                      <Table.Cell textAlign="right" color="soft" w="64px">
                        ± {(2 * p.u).toFixed(3)}
                      </Table.Cell>
                      <Table.Cell textAlign="right" w="40px">
                        {of && (
                          <Button
                            h="28px"
                            px="8px"
                            aria-label={`Loop ${p.name}`}
                            onClick={() => onLoop(of.from, of.to, p.name)}
                          >
                            ↻
                          </Button>
                        )}
                      </Table.Cell>
                    </Table.Row>
                  )
                })}
              </Table.Body>
            </Table.Root>
          ) : (
            <Hint>A phase appears once both its ends are stamped.</Hint>
          )}
        </Section>
      )}
    </>
  )
}
