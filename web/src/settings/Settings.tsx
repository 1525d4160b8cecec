import { Box, Flex, Heading, Input, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { v7 as newId } from 'uuid'
import { Hint } from '../ui/Panel'
import { Button, Pills } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { hangs, longDay, size, viewNames } from '../ui/format'
import { mode, setMode, type Mode } from '../ui/mode'
import { ConfirmErase } from '../ui/ConfirmErase'
import { AppHeader } from '../ui/AppHeader'

/** The own account, tokens for scripts, the club's accounts, and the room that films take. */
export function Settings({ who }: { who: Schemas['State'] }) {
  return (
    <Box minH="100%">
      <AppHeader />
      <Box maxW="1120px" mx="auto" p="28px">
        <Heading fontSize="21px" mb="16px">
          Settings
        </Heading>
        <Flex gap="20px" wrap="wrap" align="flex-start" css={{ '& > *': { flex: '1 1 480px' } }}>
          <Box>
            <Look />
            <Password />
            <Export />
            <Keeping who={who} />
          </Box>
          <Box>
            <Tokens />
            {who.role === 'owner' && <Accounts who={who} />}
            <FoundPoints finds={!!who.bodies} />
            <Disk />
          </Box>
        </Flex>
      </Box>
    </Box>
  )
}

function Card({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box
      as="section"
      aria-label={title}
      bg="raised"
      borderWidth="1px"
      borderColor="hair"
      borderRadius="10px"
      p="16px 18px"
      mb="16px"
    >
      <Heading as="h2" fontSize="16px" mb="8px">
        {title}
      </Heading>
      {children}
    </Box>
  )
}

function Entry({ label, ...rest }: { label: string } & React.ComponentProps<typeof Input>) {
  return (
    <label style={{ display: 'block', flex: 1, minWidth: 130 }}>
      <Text fontSize="12.5px" color="soft">
        {label}
      </Text>
      <Input aria-label={label} bg="paper" borderColor="hair" h="40px" required {...rest} />
    </label>
  )
}

/** Runs what a form asks for, and says what came of it. */
function useTold() {
  const [told, setTold] = useState<{ text: string; bad?: boolean }>()
  const run = async (what: () => Promise<string>) => {
    try {
      setTold({ text: await what() })
      return true
    } catch (e) {
      setTold({ text: (e as Error).message, bad: true })
      return false
    }
  }
  const line = told && (
    <Text role={told.bad ? 'alert' : 'status'} mt="8px" fontWeight="600" color={told.bad ? 'plum' : 'grass'}>
      {told.text[0].toUpperCase() + told.text.slice(1)}.
    </Text>
  )
  return { run, line }
}

const fields = (e: FormEvent<HTMLFormElement>) => {
  e.preventDefault()
  const f = new FormData(e.currentTarget)
  return (k: string) => String(f.get(k) ?? '')
}

function Look() {
  const [now, setNow] = useState<Mode>(mode())
  return (
    <Card title="Light or dark">
      <Pills
        label="Light or dark"
        options={[
          ['device', 'as the device'],
          ['light', 'light'],
          ['dark', 'dark'],
        ]}
        value={now}
        onPick={(m) => {
          setMode(m)
          setNow(m)
        }}
      />
    </Card>
  )
}

function Password() {
  const { run, line } = useTold()
  const submit = async (e: FormEvent<HTMLFormElement>) => {
    const form = e.currentTarget,
      get = fields(e)
    const done = await run(async () => {
      await ask(client.PUT('/api/me/password', { body: { now: get('now'), password: get('next') } }))
      return 'The password is changed; every other sign-in has ended'
    })
    if (done) form.reset()
  }
  const everywhere = async () => {
    await ask(client.DELETE('/api/me/sign-ins'))
    location.assign('/')
  }
  return (
    <Card title="Password">
      <form onSubmit={submit}>
        <Flex gap="10px" wrap="wrap">
          <Entry label="Password now" name="now" type="password" autoComplete="current-password" />
          <Entry
            label="New: three or four words"
            name="next"
            type="password"
            autoComplete="new-password"
            minLength={10}
          />
        </Flex>
        <Flex gap="10px" mt="10px">
          <Button type="submit">Change it</Button>
          <Button onClick={everywhere}>Sign out everywhere</Button>
        </Flex>
      </form>
      {line}
    </Card>
  )
}

function Tokens() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['tokens'], queryFn: () => ask(client.GET('/api/me/tokens')) })
  const [fresh, setFresh] = useState<Schemas['NewTokenAnswer']>()
  const { run, line } = useTold()
  const again = () => queries.invalidateQueries({ queryKey: ['tokens'] })
  const make = async (e: FormEvent<HTMLFormElement>) => {
    const form = e.currentTarget,
      get = fields(e)
    const done = await run(async () => {
      setFresh(
        await ask(
          client.POST('/api/me/tokens', {
            body: { name: get('name'), days: Number(get('days')), readsOnly: get('reads') === 'on' },
          }),
        ),
      )
      return 'The token is made'
    })
    if (done) form.reset()
    await again()
  }
  const revoke = (id: string) =>
    run(async () => {
      await ask(client.DELETE('/api/me/tokens/{id}', { params: { path: { id } } }))
      if (fresh?.id === id) setFresh(undefined)
      await again()
      return 'The token no longer works'
    })
  return (
    <Card title="Tokens for scripts">
      <Hint>
        A script that sends a token sees what you see; it changes no account, password or token. The README shows
        how.
      </Hint>
      {list.data?.map((t) => (
        <Flex key={t.id} align="center" gap="10px" py="4px" borderBottomWidth="1px" borderColor="hair">
          <Text flex="1" minW="0" truncate fontWeight="600">
            {t.name}
          </Text>
          <Text fontSize="12.5px" color="soft">
            {t.readsOnly ? 'reads only · ' : ''}
            {t.used ? `used ${longDay(t.used.slice(0, 10))}` : 'never used'} · ends{' '}
            {longDay(t.expires.slice(0, 10))}
          </Text>
          <Button h="32px" onClick={() => revoke(t.id)}>
            Revoke
          </Button>
        </Flex>
      ))}
      <Flex as="form" gap="10px" mt="10px" align="end" onSubmit={make as never}>
        <Entry label="Name of the script" name="name" />
        <Entry label="Days that it lasts" name="days" type="number" min={1} max={366} defaultValue={90} />
        <label style={{ minHeight: 40, display: 'inline-flex', gap: 6, alignItems: 'center' }}>
          <input type="checkbox" name="reads" defaultChecked />
          reads only
        </label>
        <Button type="submit">Make a token</Button>
      </Flex>
      {fresh && (
        <Box mt="10px" p="10px" borderWidth="1px" borderColor="ink" borderRadius="8px">
          <Text fontWeight="600">Copy it now: it is shown this once.</Text>
          <Input
            aria-label="The token"
            readOnly
            value={fresh.secret}
            bg="paper"
            borderColor="hair"
            h="38px"
            mt="4px"
            fontFamily="mono"
            onFocus={(e) => e.currentTarget.select()}
          />
        </Box>
      )}
      {line}
    </Card>
  )
}

function Accounts({ who }: { who: Schemas['State'] }) {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['accounts'], queryFn: () => ask(client.GET('/api/accounts')) })
  const [open, setOpen] = useState<string>()
  const { run, line } = useTold()
  const again = () => queries.invalidateQueries({ queryKey: ['accounts'] })
  const add = async (e: FormEvent<HTMLFormElement>) => {
    const form = e.currentTarget,
      get = fields(e)
    const done = await run(async () => {
      const a = await ask(
        client.POST('/api/accounts', {
          body: { id: newId(), name: get('name'), login: get('login'), password: get('password') },
        }),
      )
      return `${a.name} can sign in as ${a.login}`
    })
    if (done) form.reset()
    await again()
  }
  return (
    <Card title="Coaches of the club">
      {list.data?.map((a) => (
        <Box key={a.id} py="4px" borderBottomWidth="1px" borderColor="hair">
          <Flex align="center" gap="10px">
            <Text flex="1" minW="0" truncate>
              <b>{a.name}</b>{' '}
              <Text as="span" color="soft">
                · {a.login} · {a.role} · {a.athletes} {a.athletes === 1 ? 'athlete' : 'athletes'}
              </Text>
            </Text>
            {a.name !== who.name && (
              <Button
                h="32px"
                aria-expanded={open === a.id}
                onClick={() => setOpen(open === a.id ? undefined : a.id)}
              >
                Manage
              </Button>
            )}
          </Flex>
          {open === a.id && (
            <Manage
              account={a}
              run={run}
              onGone={() => {
                setOpen(undefined)
                void again()
              }}
            />
          )}
        </Box>
      ))}
      <form onSubmit={add}>
        <Flex gap="10px" mt="10px" wrap="wrap">
          <Entry label="Coach's name" name="name" />
          <Entry label="Sign-in name" name="login" autoComplete="off" />
          <Entry
            label="First password"
            name="password"
            type="password"
            autoComplete="new-password"
            minLength={10}
          />
        </Flex>
        <Button mt="10px" type="submit">
          Add a coach
        </Button>
      </form>
      {line}
    </Card>
  )
}

function Manage({
  account,
  run,
  onGone,
}: {
  account: Schemas['Account']
  run: (what: () => Promise<string>) => Promise<boolean>
  onGone: () => void
}) {
  const path = { params: { path: { id: account.id } } }
  const [asked, setAsked] = useState(false)
  const holdings = useQuery({
    queryKey: ['holdings', account.id],
    queryFn: () => ask(client.GET('/api/accounts/{id}/holdings', path)),
    enabled: asked,
  })
  const reset = (e: FormEvent<HTMLFormElement>) => {
    const get = fields(e)
    void run(async () => {
      await ask(client.PUT('/api/accounts/{id}/password', { ...path, body: { password: get('password') } }))
      return `${account.name} has a new password and is signed out everywhere`
    })
  }
  const erase = async () => {
    const done = await run(async () => {
      await ask(client.DELETE('/api/accounts/{id}', path))
      return `${account.name}'s account is erased`
    })
    if (done) onGone()
  }
  return (
    <Box pb="8px">
      <Flex as="form" gap="10px" mt="6px" align="end" onSubmit={reset as never}>
        <Entry
          label={`New password for ${account.name}`}
          name="password"
          type="password"
          autoComplete="new-password"
          minLength={10}
        />
        <Button type="submit">Set it</Button>
      </Flex>
      {!asked ? (
        <Button mt="8px" h="34px" onClick={() => setAsked(true)}>
          Erase this account…
        </Button>
      ) : (
        holdings.data && (
          <ConfirmErase
            says={`With ${account.name}'s account go ${hangs(holdings.data)}. This cannot be undone.`}
            yes="Erase all of it"
            onYes={erase}
            onNo={() => setAsked(false)}
          />
        )
      )}
    </Box>
  )
}

function Disk() {
  const disk = useQuery({
    queryKey: ['disk'],
    queryFn: () => ask(client.GET('/api/disk')),
    refetchInterval: 30_000,
  })
  const d = disk.data
  if (!d) return null
  return (
    <Card title="Room on the disk">
      <Text>
        Original films take <b>{size(d.films)}</b>, their pictures <b>{size(d.pictures)}</b>; everything together
        takes <b>{size(d.database)}</b>. The disk has <b>{size(d.free)}</b> left.
      </Text>
      <Hint>
        Films leave {size(d.reserve)} free; the setting is -reserve, or NEOKINEMA_RESERVE, at the start. Erasing a
        film gives its room back at once.
      </Hint>
      {d.reclaimable > 0 && (
        <Text mt="6px">
          {size(d.reclaimable)} are of what was erased or replaced by a restore, and can be given back: films within
          the hour, kept databases by “neokinema forget”.
        </Text>
      )}
      {d.low && (
        <Text role="alert" mt="6px" fontWeight="600" color="plum">
          That is too little: no more films are taken until room is made. Erase clips that are no longer needed.
        </Text>
      )}
    </Card>
  )
}

/** For how long films are kept, and what erasing means. */
function Keeping({ who }: { who: Schemas['State'] }) {
  const queries = useQueryClient()
  const rule = useQuery({ queryKey: ['retention'], queryFn: () => ask(client.GET('/api/retention')) })
  const { run, line } = useTold()
  const submit = (e: FormEvent<HTMLFormElement>) => {
    const months = Number(fields(e)('months'))
    void run(async () => {
      await ask(client.PUT('/api/retention', { body: { months } }))
      await queries.invalidateQueries({ queryKey: ['retention'] })
      return months ? `Today names whose films are older than ${months} months` : 'No rule is kept'
    })
  }
  if (!rule.data) return null
  return (
    <Card title="Keeping and erasing">
      <Text fontSize="14px">
        Films show people, and many of them are minors. Note on each athlete’s page who allowed filming. Local law
        says how long films may be kept, and who must be asked; this program only reminds.
      </Text>
      <form onSubmit={submit}>
        <Flex gap="10px" mt="10px" align="end">
          <Entry
            label="Films are kept for so many months; 0: no rule"
            name="months"
            type="number"
            min={0}
            max={240}
            defaultValue={rule.data.months}
            readOnly={who.role !== 'owner'}
          />
          {who.role === 'owner' && <Button type="submit">Keep the rule</Button>}
        </Flex>
      </form>
      <Box mt="10px" />
      <Hint>
        Nothing is erased by itself. Erasing an athlete takes their films, pictures, numbers, notes and playbook
        changes out of the database, and their bytes off the disk within minutes. It does not reach backups that you
        made, nor what somebody has downloaded. “All that is held” on an athlete’s page is for whoever asks what you
        hold of them.
      </Hint>
      {line}
    </Card>
  )
}

function Export() {
  return (
    <Card title="Take it with you">
      <Flex gap="12px" wrap="wrap">
        <a href="/api/attempts.csv" download style={{ textDecoration: 'underline' }}>
          Attempts, CSV
        </a>
        <a href="/api/measures.csv" download style={{ textDecoration: 'underline' }}>
          Measures with their ±, CSV
        </a>
      </Flex>
      <Hint>The whole database is saved with “neokinema backup” on the server.</Hint>
    </Card>
  )
}

/** How far found points were off where the club's coaches looked, and what follows for the next films. */
function FoundPoints({ finds }: { finds: boolean }) {
  const list = useQuery({ queryKey: ['point-checks'], queryFn: () => ask(client.GET('/api/point-checks')) }).data
  return (
    <Card title="Found points">
      <Hint>
        {finds
          ? 'The server finds the points of the body on each film that comes in. From those that coaches confirm or ' +
            'move it learns how wide its ± must be, by event and side.'
          : 'This server has no models of the body: points are placed by hand, and followed.'}
      </Hint>
      {finds && list?.length === 0 && (
        <Text mt="6px">Nobody has looked at any yet: each ± is taken 1.5 times as wide as on rendered films.</Text>
      )}
      {list?.map((l) => (
        <Box key={l.event + l.view} mt="8px">
          <Text fontWeight="600">
            {l.name}, {viewNames[l.view] ?? l.view}
          </Text>
          <Text fontSize="13px" color="soft">
            {l.points} points looked at, {l.moved} moved; 2 u held {Math.round((100 * l.inside) / l.points)} %. Each
            ± is taken {l.widened.toFixed(2)} times as wide.
          </Text>
        </Box>
      ))}
    </Card>
  )
}
