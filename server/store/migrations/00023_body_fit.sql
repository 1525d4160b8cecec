-- +goose Up
-- A body that was fitted in space to an attempt's film: the latest one.
create table body_fit (
  attempt_id uuid primary key references attempt on delete cascade,
  input text not null,      -- tells what it was made from
  movements bytea not null, -- the best movement and others that the film allows
  made timestamptz not null default now()
);
alter table task drop constraint task_kind_check;
alter table task add constraint task_kind_check check (kind in ('probe', 'decode', 'film', 'follow', 'fit', 'rejudge', 'scrub'));

-- +goose Down
delete from task where kind = 'fit';
alter table task drop constraint task_kind_check;
alter table task add constraint task_kind_check check (kind in ('probe', 'decode', 'film', 'follow', 'rejudge', 'scrub'));
drop table body_fit;
