import { Box, Flex, Text } from '@chakra-ui/react'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { v7 as newId } from 'uuid'
import { Button, Pills } from '../../ui/Button'
import { ask, client } from '../../ui/client'
import { spoken } from '../../ui/format'
import { useSession } from '../../ui/session'
import { trailChoices, type BenchContext, type Trails } from '../benchModel'
import { isBusy } from '../useFilmReading'
import { Plain } from './Film'
import { Hint, Section } from '../../ui/Panel'

/** Finding the body's points, and following placed ones to all pictures, in the background; and what came of it. */
export function Follow({
  context,
  frame,
  trails,
  finding,
  onTrails,
}: {
  context: BenchContext
  frame: number
  trails: Trails
  /** Only while nothing is placed or found yet. */
  finding?: boolean
  onTrails: (t: Trails) => void
}) {
  const { bench, paths } = context
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const key = ['followings', bench.id]
  const finds = !!useSession().data?.bodies
  const f = context.task
  const busy = isBusy(f)
  const names = new Set(bench.landmarks.filter((l) => l.source === 'placed').map((l) => l.name))
  const act = (what: () => Promise<unknown>) => async () => {
    try {
      setError('')
      await what()
    } catch (e) {
      setError((e as Error).message)
    }
    queries.invalidateQueries({ queryKey: key })
  }
  const follow = act(() =>
    ask(
      client.POST('/api/attempts/{id}/followings', { params: { path: { id: bench.id } }, body: { id: newId() } }),
    ),
  )
  const lost = new Map<string, string[]>() // why → the points that are lost on this picture
  for (const p of paths?.paths ?? [])
    for (const l of p.lost)
      if (l.from <= frame && frame <= l.to) lost.set(l.why, [...(lost.get(l.why) ?? []), spoken(p.name)])
  const wanted = context.reading?.follows ?? []
  if (names.size === 0 && !paths && !finds) return null
  if (finding && !busy && (names.size > 0 || paths)) return null
  const found = paths?.paths.filter((p) => p.source === 'detected').length ?? 0
  return (
    <Section
      title={names.size > 0 || paths ? 'Follow' : 'Find the points'}
      aside={paths ? `${points(paths.paths.length)}, ${paths.paths[0]?.x.length ?? 0} pictures` : ''}
    >
      {!paths && !busy && (
        <Hint>
          {names.size > 0
            ? whenPlaced
            : finding
              ? 'The server looks for the athlete and marks points of the body; then key positions are pencilled in.'
              : 'The server looks for the athlete and marks the points of the body on every picture, each with its ±.'}
          {wanted.length > 0 && ` ${wanted[0].for} needs it.`}
        </Hint>
      )}
      {busy ? (
        <>
          <Text role="status">
            {f!.total && f!.state === 'running'
              ? `Looked at ${f!.done} of ${f!.total} pictures, forward and backward`
              : 'In line'}
          </Text>
          <Box mt="6px" h="6px" borderRadius="full" bg="hair">
            <Box h="6px" borderRadius="full" bg="ink" w={`${f!.total ? (100 * f!.done) / f!.total : 0}%`} />
          </Box>
          <Button
            h="36px"
            mt="8px"
            onClick={act(() => ask(client.DELETE('/api/tasks/{id}', { params: { path: { id: f!.id } } })))}
          >
            {names.size > 0 ? 'Stop following' : 'Stop'}
          </Button>
        </>
      ) : (
        <Flex gap="10px" mt="6px" align="center" wrap="wrap">
          <Button h="36px" onClick={follow}>
            {paths ? 'Follow again' : names.size > 0 ? `Follow ${points(names.size)}` : 'Find the points'}
          </Button>
          {paths && (
            <Plain fontSize="13px" onClick={() => context.send({ kind: 'following' })}>
              measure without
            </Plain>
          )}
        </Flex>
      )}
      {paths && !busy && (
        <>
          <Box mt="8px">
            <Pills label="Paths on the picture" options={trailChoices} value={trails} onPick={onTrails} />
          </Box>
          {lost.size > 0 ? (
            <Box mt="6px" fontSize="13px">
              <Text color="soft">Lost on this picture, to be placed if you need them:</Text>
              {[...lost].map(([why, names]) => (
                <Text key={why} lineHeight="1.3" mt="3px">
                  <b>{names.join(', ')}</b>: {why}.
                </Text>
              ))}
            </Box>
          ) : (
            <Hint>
              {found > 0 && unconfirmed(found)}A path that goes astray: drag its point to where it belongs, and
              follow again.
            </Hint>
          )}
        </>
      )}
      {(error || f?.state === 'failed') && (
        <Text role="alert" color="plum" fontWeight="600" mt="6px">
          {error || f?.message}
        </Text>
      )}
    </Section>
  )
}

const whenPlaced =
  'Each point that is placed is looked for on all pictures between: place it on a few key positions, then follow.'

const unconfirmed = (n: number) =>
  `${points(n)} found by the server, unconfirmed: values that rest on them go into no report or record. ` +
  'Look at the figure of a key position, drag what is off, confirm the rest: it counts as placed. '

const points = (n: number) => (n === 1 ? '1 point' : `${n} points`)
