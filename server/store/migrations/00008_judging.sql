-- +goose Up
-- The coach's word on a fault, which wins over what was found.
create table overrule (
  attempt_id uuid not null references attempt on delete cascade,
  fault text not null,
  state text not null check (state in ('present', 'absent')),
  why text not null check (why <> ''),
  primary key (attempt_id, fault)
);
-- How far the camera stood from the line of travel, m.
alter table calibration add column distance jsonb;
-- What a club changes in a shipped playbook, for whom; the latest of a scope
-- counts, the ones before are its history.
create table playbook_change (
  id uuid primary key,
  club_id uuid not null references club,
  event text not null,
  scope text not null check (scope in ('club', 'school', 'level', 'group', 'athlete')),
  value text not null default '',
  patch text not null,
  account_id uuid references account on delete set null,
  made timestamptz not null default clock_timestamp()
);
create index on playbook_change (club_id, event, scope, value, made desc);

-- +goose Down
drop table playbook_change;
alter table calibration drop column distance;
drop table overrule;
