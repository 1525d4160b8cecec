import { Box, Table, Text, chakra } from '@chakra-ui/react'
import { useState } from 'react'
import { Pills } from '../../ui/Button'
import type { Schemas } from '../../ui/client'
import { inUnit, plusMinus } from '../../ui/format'
import type { BenchContext } from '../benchModel'
import { Hint, Section } from '../../ui/Panel'

type Row = Schemas['TurnRow']

const trends: Record<Row['trend'], string> = {
  grows: '↗ grows',
  falls: '↘ falls',
  turns: '↗↘ turns',
  '': 'no change beyond the ±',
}

/** Any measure or duration over turns or strides, with what grows. */
export function Turns({ context, rows }: { context: BenchContext; rows: Row[] }) {
  const [of, setOf] = useState<'times' | 'measures'>('times')
  const shown = rows.filter((r) => (r.unit === 's') === (of === 'times'))
  const count = Math.max(0, ...shown.map((r) => r.cells[r.cells.length - 1].round))
  return (
    <Section
      title={context.event.keys.some((k) => k.id.startsWith('td-')) ? 'Stride by stride' : 'Turn by turn'}
      aside="a number goes to its picture"
    >
      <Pills
        label="What is shown"
        options={[
          ['times', 'times'],
          ['measures', 'measures'],
        ]}
        value={of}
        onPick={setOf}
      />
      {shown.length === 0 ? (
        <Hint>
          {of === 'times'
            ? 'Stamp two turns or strides: their times stand here side by side.'
            : 'Measures of two turns or strides stand here side by side, once they are known.'}
        </Hint>
      ) : (
        <Table.Root
          size="sm"
          mt="8px"
          css={{
            '& td, & th': { py: '4px', px: '3px', borderColor: 'hair', bg: 'transparent', fontSize: '13px' },
            '& tr': { bg: 'transparent' },
          }}
        >
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader color="soft">{of === 'times' ? 's, ± 2u' : '± 2u'}</Table.ColumnHeader>
              {Array.from({ length: count }, (_, i) => (
                <Table.ColumnHeader key={i} textAlign="right" color="soft">
                  {i + 1}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {shown.map((r) => (
              <Table.Row key={r.id}>
                <Table.Cell lineHeight="1.2">
                  <Text fontWeight="600">{r.name}</Text>
                  <Text fontSize="12px" color={r.trend ? 'ochre' : 'soft'}>
                    {trends[r.trend]}
                  </Text>
                </Table.Cell>
                {Array.from({ length: count }, (_, i) => {
                  const c = r.cells.find((x) => x.round === i + 1)
                  return (
                    <Table.Cell key={i} textAlign="right" lineHeight="1.2" whiteSpace="nowrap">
                      {c && (
                        <chakra.button
                          cursor="pointer"
                          textAlign="right"
                          title={
                            c.change !== undefined
                              ? `${c.change > 0 ? '+' : ''}${inUnit(c.change, r.unit)} ` +
                                `${plusMinus(c.changeU!, r.unit)} from the one before`
                              : undefined
                          }
                          onClick={() => context.visit(c.keyId)}
                          _hover={{ textDecoration: 'underline' }}
                        >
                          <Text fontWeight={c.tells ? 700 : 500}>
                            {r.unit === 's' ? c.value.toFixed(3) : inUnit(c.value, r.unit)}
                            {c.tells && (c.change! > 0 ? ' ↑' : ' ↓')}
                          </Text>
                          <Text fontSize="11.5px" color="soft">
                            {plusMinus(c.u, r.unit)}
                          </Text>
                        </chakra.button>
                      )}
                    </Table.Cell>
                  )
                })}
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      )}
      <Box mt="4px">
        <Hint>An arrow marks a change that is more than its own ±.</Hint>
      </Box>
    </Section>
  )
}
