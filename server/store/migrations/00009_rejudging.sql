-- +goose Up
-- Attempts that are judged anew after a change of their event's playbook.
create table rejudging (
  change_id uuid primary key references playbook_change on delete cascade,
  club_id uuid not null references club,
  account_id uuid not null references account on delete cascade,
  event text not null,
  state text not null default 'running' check (state in ('running', 'done', 'superseded')),
  done int not null default 0,
  total int not null,
  last uuid,                        -- the attempt that was read last
  made timestamptz not null default clock_timestamp()
);

-- +goose Down
drop table rejudging;
