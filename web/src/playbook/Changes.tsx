import { Box, Flex, NativeSelect, Text, Textarea, chakra } from '@chakra-ui/react'
import { useState } from 'react'
import { v7 as newId } from 'uuid'
import { Button } from '../ui/Button'
import { ask, client, working, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { useScopes, type Scope } from './Bands'
import type { Event } from './event'
import { useChanges } from '../ui/playbookChanges'

type Change = Schemas['PlaybookChange']

const example = `# Bands, faults, cues and drills as in the file format; each replaces the one of its id.
cues:
  - {id: my-cue, fault: FAULT, kind: external, text: "Push the ground away."}
`

/** What the club changed, its history, and ways in and out as YAML. */
export function Changes({ e, onChanged }: { e: Event; onChanged: () => void }) {
  const changes = useChanges(e.id)
  const scopes = useScopes(e)
  const [key, setKey] = useState('club:')
  const [text, setText] = useState<string>()
  const [error, setError] = useState('')
  const [scope, value] = key.split(/:(.*)/) as [Scope, string]
  const now = changes.data?.now.filter((c) => c.yaml.trim() && c.yaml.trim() !== '{}') ?? []
  const was = changes.data?.now.find((c) => c.scope === scope && c.value === value)
  const named = (c: Change) =>
    c.athlete || scopes.find(([id]) => id === `${c.scope}:${c.value}`)?.[1] || `${c.scope} ${c.value}`
  const send = async (s: Scope, v: string, yaml: string) => {
    try {
      const on = changes.data?.now.find((c) => c.scope === s && c.value === v)?.id
      await ask(
        client.POST('/api/playbook/{event}/changes', {
          params: { path: { event: e.id } },
          body: { id: newId(), on, scope: s, value: v, yaml },
        }),
      )
      setError('')
      setText(undefined)
      await changes.refetch()
      onChanged()
    } catch (err) {
      setError((err as Error).message)
    }
  }
  return (
    <>
      {working(changes.data?.judging) && (
        <Box mb="10px" role="status">
          <Text fontWeight="600">
            Judging anew: {changes.data!.judging!.done} of {changes.data!.judging!.total} attempts. You can work on
            meanwhile.
          </Text>
          <progress
            value={changes.data!.judging!.done}
            max={Math.max(1, changes.data!.judging!.total)}
            style={{ width: '100%', maxWidth: 420 }}
          />
        </Box>
      )}
      {now.length === 0 && (
        <Text color="soft" mb="8px">
          Nothing is changed. Press a band above, or write a cue, drill or fault of your own here.
        </Text>
      )}
      {now.map((c) => (
        <Flex
          key={c.id}
          gap="10px"
          align="flex-start"
          borderWidth="1px"
          borderColor="hair"
          borderRadius="10px"
          bg="raised"
          p="10px 12px"
          mb="8px"
        >
          <Box flex="1" minW="0">
            <Text fontWeight="600">
              For {named(c)}{' '}
              <Text as="span" fontWeight="400" color="soft">
                · {c.by}, {longDay(c.made.slice(0, 10))}
              </Text>
            </Text>
            {c.problem && (
              <Text role="alert" color="plum" fontWeight="600" fontSize="13px">
                Set aside, it counts for nothing: {c.problem}. Mend it, or go back to the shipped.
              </Text>
            )}
            <chakra.pre fontSize="12.5px" whiteSpace="pre-wrap" overflowWrap="anywhere">
              {c.yaml.trim()}
            </chakra.pre>
          </Box>
          <Button
            h="36px"
            onClick={() => {
              setKey(`${c.scope}:${c.value}`)
              setText(c.yaml)
            }}
          >
            Change
          </Button>
          <Button h="36px" onClick={() => send(c.scope, c.value, '')}>
            Back to the shipped
          </Button>
        </Flex>
      ))}
      <Flex gap="8px" wrap="wrap" align="center">
        <NativeSelect.Root w="220px">
          <NativeSelect.Field
            aria-label="For whom the change counts"
            bg="paper"
            borderColor="hair"
            h="40px"
            value={key}
            onChange={(x) => {
              setKey(x.currentTarget.value)
              setText(undefined)
            }}
          >
            {scopes.map(([id, t]) => (
              <option key={id} value={id}>
                {t}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Button
          onClick={() =>
            setText(
              was?.yaml.trim() && was.yaml.trim() !== '{}'
                ? was.yaml
                : example.replace('FAULT', e.faults[0]?.id ?? 'id'),
            )
          }
        >
          Write a change
        </Button>
        <chakra.label
          display="inline-flex"
          alignItems="center"
          h="40px"
          px="14px"
          borderRadius="9px"
          borderWidth="1px"
          borderColor="hair"
          bg="raised"
          fontWeight="600"
          cursor="pointer"
          _focusWithin={{ outline: '2px solid', outlineOffset: '2px' }}
        >
          From a file
          <chakra.input
            type="file"
            accept=".yaml,.yml"
            srOnly
            onChange={async (x) => {
              const f = x.currentTarget.files?.[0]
              if (f) setText(await f.text())
            }}
          />
        </chakra.label>
        <a
          href={`/api/playbook/${e.id}/file.yaml`}
          download
          style={{ textDecoration: 'underline', lineHeight: '40px' }}
        >
          the whole playbook as a file
        </a>
      </Flex>
      {text !== undefined && (
        <Box mt="8px">
          <Textarea
            aria-label="The change, as YAML"
            rows={10}
            fontFamily="monospace"
            fontSize="13px"
            bg="paper"
            borderColor="hair"
            p="10px"
            value={text}
            onChange={(x) => setText(x.currentTarget.value)}
            spellCheck={false}
          />
          <Flex gap="8px" mt="6px">
            <Button main onClick={() => send(scope, value, text)}>
              Keep this change
            </Button>
            <Button
              onClick={() => {
                setText(undefined)
                setError('')
              }}
            >
              Not now
            </Button>
          </Flex>
        </Box>
      )}
      {error && (
        <Text role="alert" color="plum" fontWeight="600" mt="6px">
          {error}
        </Text>
      )}
      {changes.data && changes.data.history.length > 0 && (
        <History list={changes.data.history} named={named} onTake={(c) => send(c.scope, c.value, c.yaml)} />
      )}
    </>
  )
}

/** All changes that were made, the latest first. */
function History({
  list,
  named,
  onTake,
}: {
  list: Change[]
  named: (c: Change) => string
  onTake: (c: Change) => void
}) {
  return (
    <details style={{ marginTop: 12 }}>
      <summary style={{ cursor: 'pointer', fontWeight: 600, minHeight: 32 }}>History, {list.length}</summary>
      {list.map((c) => (
        <Flex key={c.id} gap="10px" borderTopWidth="1px" borderColor="hair" py="6px" align="flex-start">
          <Box flex="1" minW="0">
            <Text fontSize="13px">
              <b>
                {longDay(c.made.slice(0, 10))} {c.made.slice(11, 16)}
              </b>{' '}
              {c.by}, for {named(c)}
            </Text>
            <chakra.pre fontSize="12px" color="soft" whiteSpace="pre-wrap" overflowWrap="anywhere">
              {c.yaml.trim() || 'as shipped'}
            </chakra.pre>
          </Box>
          <Button h="32px" onClick={() => onTake(c)}>
            Take this again
          </Button>
        </Flex>
      ))}
    </details>
  )
}
