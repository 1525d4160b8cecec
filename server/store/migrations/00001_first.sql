-- +goose Up
create table club (
  id uuid primary key,
  name text not null
);

create table account (
  id uuid primary key,
  club_id uuid not null references club,
  login text not null unique,
  name text not null,
  role text not null check (role in ('owner', 'coach', 'assistant', 'athlete')),
  password_hash text not null
);

create table sign_in (
  token_hash bytea primary key,
  account_id uuid not null references account on delete cascade,
  expires timestamptz not null
);

create table owner_link (
  token_hash bytea primary key
);

create table athlete (
  id uuid primary key,
  club_id uuid not null references club,
  coach_id uuid not null references account,
  name text not null check (name <> ''),
  sex text not null check (sex in ('woman', 'man')),
  birth_year int not null,
  height_m double precision not null check (height_m between 0.8 and 2.6),
  front_leg text not null check (front_leg in ('L', 'R')),
  level text not null check (level in ('developing', 'youth', 'trained', 'elite')),
  notes text not null default ''
);

create table session (
  id uuid primary key,
  club_id uuid not null references club,
  day date not null,
  place text not null,
  unique (club_id, day, place)
);

create table attempt (
  id uuid primary key,
  athlete_id uuid not null references athlete,
  session_id uuid not null references session,
  event text not null,
  school text not null default 'medium',
  number int not null,
  version int not null default 0,
  made timestamptz not null default now()
);
create index on attempt (athlete_id);

create table clip (
  id uuid primary key,
  attempt_id uuid not null unique references attempt on delete cascade,
  name text not null,
  bytes bigint not null,
  sha256 bytea not null,
  status text not null check (status in ('waiting', 'decoding', 'ready', 'failed')),
  progress double precision not null default 0,
  message text not null default '',
  width int not null default 0,   -- of the original picture, as shown
  height int not null default 0,
  frames int not null default 0,
  base_num bigint not null default 0,
  base_den bigint not null default 1,
  playback_rate double precision not null default 0,
  tag_rate double precision not null default 0,
  capture_rate double precision not null default 0,
  rate_source text not null default 'unknown' check (rate_source in ('unknown', 'tag', 'file', 'chosen')),
  view text not null default 'side-open',
  rightward boolean not null default true
);

create table clip_part (
  clip_id uuid not null references clip on delete cascade,
  number int not null,
  data bytea not null,
  primary key (clip_id, number)
);
alter table clip_part alter column data set storage external;

create table frame (
  clip_id uuid not null references clip on delete cascade,
  number int not null,
  pts bigint not null,
  jpeg bytea not null,
  primary key (clip_id, number)
) partition by hash (clip_id);
create table frame_0 partition of frame for values with (modulus 8, remainder 0);
create table frame_1 partition of frame for values with (modulus 8, remainder 1);
create table frame_2 partition of frame for values with (modulus 8, remainder 2);
create table frame_3 partition of frame for values with (modulus 8, remainder 3);
create table frame_4 partition of frame for values with (modulus 8, remainder 4);
create table frame_5 partition of frame for values with (modulus 8, remainder 5);
create table frame_6 partition of frame for values with (modulus 8, remainder 6);
create table frame_7 partition of frame for values with (modulus 8, remainder 7);

-- What the coach puts in on the Bench. Every change is a command.
create table command (
  id uuid primary key,
  attempt_id uuid not null references attempt on delete cascade,
  version int not null,            -- of the attempt after it
  account_id uuid not null references account,
  kind text not null,
  body jsonb not null,
  inverse jsonb not null,
  state text not null default 'done' check (state in ('done', 'undone', 'gone')),
  made timestamptz not null default now(),
  unique (attempt_id, version)
);

create table stamp (
  attempt_id uuid not null references attempt on delete cascade,
  place text not null,
  frame int not null check (frame >= 0),
  primary key (attempt_id, place)
);

create table landmark (
  attempt_id uuid not null references attempt on delete cascade,
  frame int not null,
  name text not null,
  x double precision not null,
  y double precision not null,
  source text not null check (source in ('placed', 'tracked', 'detected', 'filled')),
  primary key (attempt_id, frame, name)
);

create table calibration (
  attempt_id uuid primary key references attempt on delete cascade,
  scale jsonb,
  level jsonb,
  origin jsonb
);

create table look (
  attempt_id uuid not null references attempt on delete cascade,
  look text not null,
  verdict text not null check (verdict in ('good', 'off', 'can''t see')),
  primary key (attempt_id, look)
);

create table note (
  attempt_id uuid not null references attempt on delete cascade,
  kind text not null check (kind in ('first', 'good')),
  words text not null,
  primary key (attempt_id, kind)
);

create table focus (
  attempt_id uuid not null references attempt on delete cascade,
  fault text not null,
  why text not null default '',
  chosen timestamptz not null default clock_timestamp(),
  primary key (attempt_id, fault)
);

create table assignment (
  attempt_id uuid not null references attempt on delete cascade,
  fault text not null,
  cue text not null,
  words text not null,
  drill text not null,
  dose text not null,
  refilm date not null,
  primary key (attempt_id, fault)
);

create table run (
  attempt_id uuid not null references attempt on delete cascade,
  version int not null,
  rules text not null,
  reading jsonb not null,
  made timestamptz not null default now(),
  primary key (attempt_id, version, rules)
);

-- What was loaded once and is not loaded again.
create table loaded (
  name text primary key,
  at timestamptz not null default now()
);

-- +goose Down
drop table loaded;
drop table run, assignment, focus, note, look, calibration, landmark, stamp, command, frame, clip_part, clip, attempt, session, athlete, owner_link, sign_in, account, club;
