-- +goose Up
-- Points that are followed from picture to picture in the background, and which
-- following an attempt is measured with.
create table following (
  id uuid primary key,
  attempt_id uuid not null references attempt on delete cascade,
  account_id uuid not null references account on delete cascade,
  state text not null default 'waiting' check (state in ('waiting', 'following', 'done', 'failed', 'cancelled')),
  done integer not null default 0,
  pictures integer not null default 0,
  message text not null default '',
  found json,                   -- where the points are, once it is done; it never changes
  made timestamptz not null default now()
);
create index following_attempt on following (attempt_id);

alter table calibration add column followed jsonb, add column origin_frame jsonb;

-- +goose Down
alter table calibration drop column followed, drop column origin_frame;
drop table following;
