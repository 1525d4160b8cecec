-- +goose Up
-- Every event: the hand that throws or holds on top, the leg that takes off,
-- how the event is done; and the scores of practising the eye.
alter table athlete
  add column hand text not null default 'R' check (hand in ('L', 'R')),
  add column takeoff_leg text not null default 'L' check (takeoff_leg in ('L', 'R'));

alter table attempt add column variant text not null default '';

-- A simulated attempt that is being filmed; its clip gets the same id.
create table filming (
  id uuid primary key,
  attempt_id uuid not null references attempt on delete cascade,
  account_id uuid not null references account on delete cascade,
  wish jsonb not null,
  state text not null default 'waiting' check (state in ('waiting', 'filming', 'done', 'failed', 'cancelled')),
  done integer not null default 0,
  pictures integer not null default 0,
  message text not null default '',
  made timestamptz not null default now()
);

create table practice (
  id uuid primary key,
  account_id uuid not null references account on delete cascade,
  event text not null,
  variant text not null,
  faults jsonb not null,        -- injected, with strength; none: a clean one
  athlete jsonb not null,
  seed bigint not null,
  made timestamptz not null default now(),
  said text,                    -- the fault that was said; empty: clean
  said_at double precision,     -- the instant it was said to begin, s from the zero
  begins double precision,      -- and the instant it begins
  answered timestamptz
);
create index practice_account on practice (account_id, made desc);

-- +goose Down
drop table practice;
drop table filming;
alter table attempt drop column variant;
alter table athlete drop column hand, drop column takeoff_leg;
