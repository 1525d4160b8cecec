-- +goose Up
-- Key positions that a film does not show: it begins after them, ends before them.
create table not_in_film (
  attempt_id uuid not null references attempt on delete cascade,
  key_id text not null,
  number int not null,
  primary key (attempt_id, key_id)
);

-- +goose Down
-- The commands that said so go with it: nothing else could be done with them.
delete from command where kind = 'notInFilm';
drop table not_in_film;
