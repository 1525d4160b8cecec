-- +goose Up
-- Passes of an attempt's film that the coach has watched through.
create table watched_pass (
  attempt_id uuid not null references attempt on delete cascade,
  pass text not null,
  number int not null,
  primary key (attempt_id, pass)
);

-- +goose Down
-- The commands that said so go with it: nothing else could be done with them.
delete from command where kind = 'watched';
drop table watched_pass;
