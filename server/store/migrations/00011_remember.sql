-- +goose Up
alter table athlete
  add column mass_kg double precision check (mass_kg between 15 and 250),
  add column para text not null default '',           -- class, as in F46
  add column aids text not null default '',           -- prosthesis, frame, strap
  add column events text not null default '',         -- ids, a space between them
  add column schools text not null default '',        -- the usual one of an event, as in hammer/wide, a space between them
  add column version int not null default 0;

create table goal (
  id uuid primary key,
  athlete_id uuid not null references athlete on delete cascade,
  event text not null,
  measure text not null default '',                   -- key; empty: the mark
  target double precision not null,                   -- a mark's in hundredths
  by_day date not null,
  made timestamptz not null default clock_timestamp()
);
create index on goal (athlete_id);

create table pain_note (
  id uuid primary key,
  athlete_id uuid not null references athlete on delete cascade,
  region text not null check (region <> ''),
  side text not null check (side in ('left', 'right', 'both', 'middle')),
  words text not null default '',
  noted date not null,
  cleared date,
  cleared_by text not null default '',
  version int not null default 0,
  check (cleared is null or cleared_by <> '')
);
create index on pain_note (athlete_id);

alter table session
  add column kind text not null default 'training' check (kind in ('training', 'meet')),
  add column surface text not null default '',
  add column weather text not null default '',
  add column wind double precision,                   -- m/s along the straight, from behind positive
  add column version int not null default 0;

alter table attempt
  add column implement_g int check (implement_g > 0),
  add column wind double precision,                   -- m/s, from behind positive
  add column effort int check (effort between 1 and 100),
  add column rpe int check (rpe between 1 and 10),
  add column landed_deg double precision,             -- from the sector's middle line, to its right positive
  add column board_cm double precision;               -- from the toe to the take-off line, behind it positive
create index on attempt (session_id);

-- The known values of an attempt's last reading: what histories are drawn from.
create table value (
  attempt_id uuid not null references attempt on delete cascade,
  key text not null,
  value double precision not null,
  u double precision not null,
  primary key (attempt_id, key)
);
insert into value select distinct on (r.attempt_id, v->>'key') r.attempt_id, v->>'key', (v->>'value')::double precision, (v->>'u')::double precision
  from (select distinct on (attempt_id) attempt_id, reading from run order by attempt_id, version desc, made desc) r,
    json_array_elements(convert_from(r.reading, 'UTF8')::json->'values') v
  where json_array_length(v->'missing') = 0;

create table plan_item (
  id uuid primary key,
  athlete_id uuid not null references athlete on delete cascade,
  attempt_id uuid references attempt on delete set null, -- that had the assignment
  fault text not null default '',
  day date not null,
  kind text not null check (kind in ('drill', 'strength', 'session', 'meet', 'refilm')),
  words text not null check (words <> ''),
  dose text not null default '',
  intensity text not null default '' check (intensity in ('', 'low', 'medium', 'high')),
  state text not null default 'planned' check (state in ('planned', 'done', 'skipped')),
  version int not null default 0
);
create index on plan_item (athlete_id, day);

create table season_phase (
  id uuid primary key,
  club_id uuid not null references club,
  name text not null check (name <> ''),
  kind text not null check (kind in ('preparation', 'special', 'competition', 'rest')),
  from_day date not null,
  to_day date not null check (to_day >= from_day)
);
create index on season_phase (club_id, from_day);

alter table assignment add column closed date;        -- the coach closed the focus
alter table clip add column filmless boolean not null default false; -- stamps and points without pictures

-- +goose Down
alter table clip drop column filmless;
alter table assignment drop column closed;
drop table season_phase, plan_item, value, pain_note, goal;
alter table attempt drop column implement_g, drop column wind, drop column effort, drop column rpe, drop column landed_deg, drop column board_cm;
alter table session drop column kind, drop column surface, drop column weather, drop column wind, drop column version;
alter table athlete drop column mass_kg, drop column para, drop column aids, drop column events, drop column schools, drop column version;
