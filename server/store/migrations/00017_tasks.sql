-- +goose Up
-- All background work is a task: what it is about, how far it is, and that it is
-- alive. The queue only says when.
create table task (
  id uuid primary key,
  kind text not null check (kind in ('probe', 'decode', 'film', 'follow', 'rejudge', 'scrub')),
  subject uuid,                       -- a clip, an attempt or a change of a playbook
  account_id uuid references account on delete cascade,
  state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed', 'cancelled')),
  done int not null default 0,
  total int not null default 0,       -- 0: not known yet
  message text not null default '',
  input jsonb,                        -- what was asked for
  cursor text not null default '',    -- where it goes on
  epoch int not null default 0,       -- how often it was put in line
  worker uuid,                        -- who works on it
  made timestamptz not null default clock_timestamp(),
  started timestamptz,
  heartbeat timestamptz,
  ended timestamptz,
  check ((state = 'running') = (worker is not null and ended is null))
);
create index on task (subject, made desc);
create index on task (account_id);
create index on task (heartbeat) where state = 'running';
create index on task (made) where state = 'waiting';

-- What is under way counts as left by a worker that is gone: it is taken up again.
insert into task (id, kind, subject, account_id, state, done, total, message, input, made, worker, started, heartbeat, ended)
  select id, 'film', attempt_id, account_id, case when state in ('waiting', 'filming') then 'running' else state end, done, pictures, message, wish, made,
    case when state in ('waiting', 'filming') then id end, made, to_timestamp(0), case when state not in ('waiting', 'filming') then made end from filming;
insert into task (id, kind, subject, account_id, state, done, total, message, made, worker, started, heartbeat, ended)
  select id, 'follow', attempt_id, account_id, case when state in ('waiting', 'following') then 'running' else state end, done, pictures, message, made,
    case when state in ('waiting', 'following') then id end, made, to_timestamp(0), case when state not in ('waiting', 'following') then made end from landmark_run
  on conflict (id) do nothing;
insert into task (id, kind, subject, account_id, state, done, total, cursor, made, worker, started, heartbeat, ended)
  select change_id, 'rejudge', change_id, account_id, case state when 'superseded' then 'cancelled' else state end, done, total, coalesce(last::text, ''), made,
    case when state = 'running' then change_id end, made, to_timestamp(0), case when state <> 'running' then made end from rejudging
  on conflict (id) do nothing;
insert into task (id, kind, subject, state, worker, started, heartbeat)
  select gen_random_uuid(), case status when 'looking' then 'probe' else 'decode' end, id, 'running', id, now(), to_timestamp(0) from clip where status in ('looking', 'waiting', 'decoding');

drop table filming, rejudging;
alter table landmark_run drop column state, drop column done, drop column pictures, drop column message, add column finished boolean not null default false;
update landmark_run set finished = true where exists (select from task where task.id = landmark_run.id and task.state = 'done');
alter table clip drop column progress;

-- +goose Down
alter table clip add column progress double precision not null default 0;
update clip set progress = 1 where status = 'ready';
alter table landmark_run drop column finished,
  add column state text not null default 'waiting' check (state in ('waiting', 'following', 'done', 'failed', 'cancelled')),
  add column done integer not null default 0, add column pictures integer not null default 0, add column message text not null default '';
update landmark_run r set state = case t.state when 'running' then 'following' else t.state end, done = t.done, pictures = t.total, message = t.message from task t where t.id = r.id;
create table rejudging (
  change_id uuid primary key references playbook_change on delete cascade,
  club_id uuid not null references club,
  account_id uuid not null references account on delete cascade,
  event text not null,
  state text not null default 'running' check (state in ('running', 'done', 'superseded')),
  done int not null default 0,
  total int not null,
  last uuid,
  made timestamptz not null default clock_timestamp()
);
insert into rejudging select c.id, c.club_id, t.account_id, c.event, case when t.state in ('waiting', 'running') then 'running' when t.state = 'done' then 'done' else 'superseded' end, t.done, t.total, nullif(t.cursor, '')::uuid, t.made
  from task t join playbook_change c on c.id = t.subject where t.kind = 'rejudge' and t.account_id is not null;
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
insert into filming select t.id, a.id, t.account_id, coalesce(t.input, '{}'), case t.state when 'running' then 'filming' else t.state end, t.done, t.total, t.message, t.made
  from task t join attempt a on a.id = t.subject where t.kind = 'film' and t.account_id is not null;
drop table task;
