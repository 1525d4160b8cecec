-- +goose Up
-- What a request made once, by its id: sent again it is known, and another one
-- under the same id is refused. Digest is of the whole content.
create table creation (
  kind text not null,
  id uuid not null,
  account_id uuid references account on delete cascade,
  digest bytea not null,
  made timestamptz not null default now(),
  primary key (kind, id)
);
create index on creation (account_id);
create index on creation (made);

-- A reading is found by a digest of what it rests on, of fixed size: the names of
-- all that grew past what an index takes.
alter table run alter column rules type bytea using sha256(convert_to(rules, 'UTF8')),
  add constraint run_rules_check check (octet_length(rules) = 32);

-- A change that no longer fits its shipped playbook is set aside, with the reason.
alter table playbook_change add column problem text not null default '';

-- Who noted a session. Only they, whoever has an attempt in it, and the club's
-- owner change it.
alter table session add column account_id uuid references account on delete set null;
create index on session (account_id);

-- +goose Down
alter table session drop column account_id;
alter table playbook_change drop column problem;
alter table run drop constraint run_rules_check, alter column rules type text using encode(rules, 'hex');
drop table creation;
