import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useParams, useSearchParams } from 'react-router'
import { Pills } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { ReportView } from '../ui/ReportView'
import { AppHeader } from '../ui/AppHeader'

type Paper = 'a4' | 'letter'

/** A report of an attempt, a change, a season or a session, in the app and on paper. */
export function ReportPage() {
  const { kind = '', id = '' } = useParams()
  const [query] = useSearchParams()
  const [paper, setPaper] = useState<Paper>('a4')
  const of = query.get('of') ?? undefined
  const fault = query.get('fault') ?? undefined
  const from = query.get('from') ?? undefined
  const to = query.get('to') ?? undefined
  const path = { id }
  const sheet = useQuery({
    queryKey: ['report', kind, id, of, fault, from, to],
    queryFn: (): Promise<Schemas['Sheet']> =>
      kind === 'season'
        ? ask(client.GET('/api/athletes/{id}/season', { params: { path, query: { from, to } } }))
        : kind === 'session'
          ? ask(client.GET('/api/sessions/{id}/report', { params: { path } }))
          : ask(client.GET('/api/attempts/{id}/report', { params: { path, query: { of, fault } } })),
    refetchOnMount: 'always',
  })
  const base =
    kind === 'season'
      ? `/api/athletes/${id}/season.pdf`
      : kind === 'session'
        ? `/api/sessions/${id}/report.pdf`
        : `/api/attempts/${id}/report.pdf`
  const asked = new URLSearchParams({ paper })
  for (const [k, v] of Object.entries({ of, fault, from, to })) if (v) asked.set(k, v)
  return (
    <Box minH="100%">
      <AppHeader />
      <Flex maxW="820px" mx="auto" px="20px" pt="18px" pb="10px" gap="12px" align="center" wrap="wrap">
        <Text flex="1" color="soft">
          As it is printed. Every number was computed from what was put in.
        </Text>
        <Pills
          label="Paper"
          options={[
            ['a4', 'A4'],
            ['letter', 'Letter'],
          ]}
          value={paper}
          onPick={setPaper}
        />
        <chakra.a
          href={`${base}?${asked}`}
          target="_blank"
          rel="noopener"
          bg="ink"
          color="paper"
          borderRadius="9px"
          h="40px"
          px="14px"
          fontWeight="600"
          display="inline-flex"
          alignItems="center"
        >
          PDF
        </chakra.a>
      </Flex>
      {sheet.error && (
        <Text role="alert" color="plum" maxW="820px" mx="auto" px="20px">
          {sheet.error.message}
        </Text>
      )}
      {sheet.isLoading && (
        <Text color="soft" maxW="820px" mx="auto" px="20px">
          The report is being written…
        </Text>
      )}
      {sheet.data && (
        <Box px="20px" pb="40px">
          <ReportView sheet={sheet.data} />
        </Box>
      )}
    </Box>
  )
}
