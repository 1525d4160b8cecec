-- +goose Up
-- What is wrong, or out of the ordinary, with a film that can be used all the same.
alter table clip add column condition jsonb;

-- A film that met a full disk is held until somebody says to go on.
alter table clip drop constraint clip_status_check;
alter table clip add constraint clip_status_check check (status in ('uploading', 'looking', 'choosing', 'waiting', 'decoding', 'held', 'ready', 'failed'));

-- Each film's bytes and pictures get tables of their own: dropping them gives their
-- room back at once.
create schema film;
-- +goose StatementBegin
do $$
declare c record; name text;
begin
  for c in select id, filmless from clip where not filmless loop
    name := replace(c.id::text, '-', '');
    execute format('create table film.original_%s (number int primary key, data bytea not null)', name);
    execute format('alter table film.original_%s alter column data set storage external', name);
    execute format('insert into film.original_%s select number, data from clip_part where clip_id = %L', name, c.id);
    if exists (select from frame where clip_id = c.id) then
      execute format('create table film.picture_%s (number int primary key, pts bigint not null, jpeg bytea not null)', name);
      execute format('alter table film.picture_%s alter column jpeg set storage external', name);
      execute format('insert into film.picture_%s select number, pts, jpeg from frame where clip_id = %L', name, c.id);
    end if;
  end loop;
end $$;
-- +goose StatementEnd
drop table frame;
drop table clip_part;

-- Rows that change with every reading are tidied up early.
alter table run set (autovacuum_vacuum_scale_factor = 0.05, toast.autovacuum_vacuum_scale_factor = 0.05);
alter table value set (autovacuum_vacuum_scale_factor = 0.05);
alter table clip set (autovacuum_vacuum_scale_factor = 0.05);
alter table clip_preview set (autovacuum_vacuum_scale_factor = 0.05, toast.autovacuum_vacuum_scale_factor = 0.05);

-- +goose Down
create table clip_part (
  clip_id uuid not null references clip on delete cascade,
  number int not null,
  data bytea not null,
  primary key (clip_id, number)
);
alter table clip_part alter column data set storage external;
create table frame (
  clip_id uuid not null references clip on delete cascade,
  number int not null,
  pts bigint not null,
  jpeg bytea not null,
  primary key (clip_id, number)
);
alter table frame alter column jpeg set storage external;
-- +goose StatementBegin
do $$
declare c record; name text;
begin
  for c in select id from clip loop
    name := replace(c.id::text, '-', '');
    if to_regclass('film.original_' || name) is not null then
      execute format('insert into clip_part select %L, number, data from film.original_%s', c.id, name);
    end if;
    if to_regclass('film.picture_' || name) is not null then
      execute format('insert into frame select %L, number, pts, jpeg from film.picture_%s', c.id, name);
    end if;
  end loop;
end $$;
-- +goose StatementEnd
drop schema film cascade;
update clip set status = 'choosing' where status = 'held';
alter table clip drop constraint clip_status_check;
alter table clip add constraint clip_status_check check (status in ('uploading', 'looking', 'choosing', 'waiting', 'decoding', 'ready', 'failed'));
alter table clip drop column condition;
