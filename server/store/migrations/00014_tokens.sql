-- +goose Up
-- A script's token ends, and may read only. Those from before end in 90 days.
alter table token
  add column expires timestamptz not null default now() + interval '90 days',
  add column reads_only boolean not null default false;
alter table token alter column expires drop default;

-- +goose Down
alter table token drop column expires, drop column reads_only;
