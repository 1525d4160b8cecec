import { Text, chakra } from '@chakra-ui/react'
import type { Judged } from './client'
import { useSaid } from './dial'
import { inUnit, known, plusMinus } from './format'
import { Lane } from './Lane'

type Kind = Judged['verdict']

const colour: Record<Kind, string> = {
  in: 'grass',
  near: 'ochre',
  out: 'plum',
  "can't tell": 'mist',
  'no band': 'soft',
  missing: 'mist',
}
const worst: Kind[] = ['out', 'near', "can't tell", 'in', 'no band', 'missing']

/** The verdict that a group of values should show: the worstVerdict. */
export const worstVerdict = (values: Judged[]): Kind | undefined =>
  worst.find((k) => values.some((v) => v.verdict === k))

/** A verdict's shape: dot in, half dot near, diamond out, hollow when it can't be told. */
export function Shape({ of, size = 12 }: { of?: Kind; size?: number }) {
  const c = `var(--chakra-colors-${of ? colour[of] : 'hair'})`
  return (
    <svg width={size} height={size} viewBox="0 0 12 12" aria-hidden style={{ flex: 'none' }}>
      {of === 'in' && <circle cx="6" cy="6" r="5" fill={c} />}
      {of === 'near' && (
        <>
          <circle cx="6" cy="6" r="4.4" fill="none" stroke={c} strokeWidth="1.4" />
          <path d="M6 1.2a4.8 4.8 0 0 0 0 9.6z" fill={c} />
        </>
      )}
      {of === 'out' && <path d="M6 0l6 6-6 6-6-6z" fill={c} />}
      {of === "can't tell" && (
        <>
          <circle cx="6" cy="6" r="4.4" fill="none" stroke={c} strokeWidth="1.4" />
          <path d="M3 8.6l5.6-5.6M5 10l5-5" stroke={c} strokeWidth="1" />
        </>
      )}
      {(!of || of === 'missing' || of === 'no band') && (
        <circle
          cx="6"
          cy="6"
          r="4.4"
          fill="none"
          stroke={c}
          strokeWidth="1.4"
          strokeDasharray={of === 'no band' ? undefined : '2 2'}
        />
      )}
    </svg>
  )
}

export function Pill({ of }: { of: Kind }) {
  return (
    <chakra.span
      display="inline-flex"
      alignItems="center"
      gap="4px"
      px="7px"
      py="0"
      borderRadius="full"
      borderWidth="1px"
      fontSize="12px"
      fontWeight="600"
      borderColor={colour[of]}
      color={colour[of]}
      whiteSpace="nowrap"
    >
      <Shape of={of} size={9} /> {of}
    </chakra.span>
  )
}

/** A measure on its lane. */
export function Gauge({ v }: { v: Judged }) {
  if (!v.lane) return null
  const says = `${inUnit(v.value, v.unit)} ${plusMinus(v.u, v.unit)}, band ${v.aim ?? 'none'}`
  return <Lane lane={v.lane} colour={colour[v.verdict]} label={says} />
}

/** A value with its ±. */
export function Quantity({ v, big }: { v: Judged; big?: boolean }) {
  const said = useSaid()(v)
  if (!known(v))
    return (
      <Text as="span" color="soft">
        —
      </Text>
    )
  return (
    <Text as="span" whiteSpace="nowrap">
      <Text as="span" fontWeight="700" fontSize={big ? '21px' : '15px'}>
        {said.value}
      </Text>{' '}
      <Text as="span" color="soft" fontSize="12.5px">
        {said.within}
      </Text>
      {v.unconfirmed && (
        <Text
          as="span"
          color="soft"
          fontSize="12px"
          title="It rests on points that the server found and nobody has looked at."
        >
          {' '}
          unconfirmed
        </Text>
      )}
    </Text>
  )
}
