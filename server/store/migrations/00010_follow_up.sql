-- +goose Up
-- What became of a cue: what a later attempt showed of an earlier one's
-- assignment, as the coach had it kept. The rows of an athlete are the cue record.
create table follow_up (
  attempt_id uuid not null references attempt on delete cascade,
  of_attempt uuid not null references attempt on delete cascade,
  fault text not null,
  cue text not null,
  outcome text not null check (outcome in ('changed', 'no change', 'misread', 'worse')),
  made timestamptz not null default clock_timestamp(),
  primary key (attempt_id, of_attempt, fault)
);
create index on follow_up (of_attempt);

-- +goose Down
drop table follow_up;
