import { Box, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { v7 as newId } from 'uuid'
import { Button } from '../../ui/Button'
import { ask, client } from '../../ui/client'
import { upper } from '../../ui/format'
import { isBusy } from '../useFilmReading'
import type { BenchContext } from '../benchModel'
import { Hint } from '../../ui/Panel'

/** How often, ms, a fit that is under way is asked after. */
const often = 700

/** Fits a body in space to this one film, in the background; what one picture does not show is read off it. */
export function FitFilm({ context, onShow }: { context: BenchContext; onShow: () => void }) {
  const { id } = context.bench
  const fit = context.reading?.space.fit
  const queries = useQueryClient()
  const [error, setError] = useState('')
  const path = { params: { path: { id } } }
  const key = ['fits', id]
  const task = useQuery({
    queryKey: key,
    queryFn: () => ask(client.GET('/api/attempts/{id}/fits', path)),
    refetchInterval: (q) => (isBusy(q.state.data?.[0]) ? often : false),
  }).data?.[0]
  const busy = isBusy(task)
  const was = useRef(busy)
  useEffect(() => {
    if (was.current && !busy) queries.invalidateQueries({ queryKey: ['reading', id] })
    was.current = busy
  }, [busy, queries, id])
  const act = (what: () => Promise<unknown>) => async () => {
    setError('')
    try {
      await what()
    } catch (e) {
      setError((e as Error).message)
    }
    await queries.invalidateQueries({ queryKey: key })
  }
  if (!fit) return null
  const failed = task?.state === 'failed' ? task.message : ''
  const read = context.reading?.values.filter((v) => v.seen === method).length ?? 0
  return (
    <Box mt="10px" fontSize="13px">
      <Text fontWeight="700">This film alone</Text>
      {busy ? (
        <>
          <Text role="status">
            {task!.state === 'running' ? 'Fitting a body to this film …' : 'The fit is in line'}
          </Text>
          <Box mt="6px" h="6px" borderRadius="full" bg="hair">
            <Box
              h="6px"
              borderRadius="full"
              bg="ink"
              w={`${task!.total ? (100 * task!.done) / task!.total : 0}%`}
            />
          </Box>
          <Button
            h="36px"
            mt="6px"
            onClick={act(() => ask(client.DELETE('/api/tasks/{id}', { params: { path: { id: task!.id } } })))}
          >
            Stop
          </Button>
        </>
      ) : (
        <>
          {fit.made && !fit.stale ? (
            <>
              <Text role="status">
                A body is fitted to this film: {read} values are read off it, named “{method}”. They are less sure
                than those of two films.
              </Text>
              <Button main h="40px" mt="6px" mr="6px" onClick={onShow}>
                Show the body
              </Button>
            </>
          ) : (
            <Hint>{fit.stale ? stale : offer}</Hint>
          )}
          {fit.why ? (
            <Text mt="4px" color="soft">
              Not yet: {fit.why}.
            </Text>
          ) : (
            <Button
              h="40px"
              mt="6px"
              onClick={act(() => ask(client.POST('/api/attempts/{id}/fits', { ...path, body: { id: newId() } })))}
            >
              {fit.made ? 'Fit again' : 'Fit this film'}
            </Button>
          )}
        </>
      )}
      {!busy && (error || failed) && (
        <Text role="alert" mt="4px" color="plum" fontWeight="600">
          {upper(error || failed)}.
        </Text>
      )}
    </Box>
  )
}

/** What the core names values that are read off a fitted body. */
const method = 'one film, fitted in space'

const stale =
  'Points, key positions or the camera were changed since the body was fitted: nothing is read off it. Fit again.'
const offer =
  'From this one film a body can be fitted in space: turns, tilts and bends that one picture does not show. ' +
  'It takes some seconds.'
