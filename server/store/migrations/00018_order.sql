-- +goose Up
-- What an athlete does, a row an event, in place of lists in a text.
create table athlete_event (
  athlete_id uuid not null references athlete on delete cascade,
  event text not null check (event <> ''),
  number int not null,                      -- in the coach's order
  does boolean not null default true,       -- false: only the usual school is known
  school text not null default '',          -- the usual one; empty: the event's first
  primary key (athlete_id, event)
);
insert into athlete_event (athlete_id, event, number)
  select id, event, n from athlete, unnest(string_to_array(nullif(events, ''), ' ')) with ordinality as e(event, n) where event <> '' on conflict do nothing;
insert into athlete_event (athlete_id, event, number, does, school)
  select id, split_part(s, '/', 1), 1000 + n, false, split_part(s, '/', 2) from athlete, unnest(string_to_array(nullif(schools, ''), ' ')) with ordinality as e(s, n) where s like '%_/_%'
  on conflict (athlete_id, event) do update set school = excluded.school;
alter table athlete drop column events, drop column schools;

-- An athlete's attempts of a session have numbers of their own.
with twice as (
  select id, row_number() over (partition by athlete_id, session_id, number order by made, id) as nth,
    max(number) over (partition by athlete_id, session_id) as most, row_number() over (partition by athlete_id, session_id order by number, made, id) as place
  from attempt where other_of is null
)
update attempt a set number = t.most + t.place from twice t where t.id = a.id and t.nth > 1;
create unique index attempt_number on attempt (athlete_id, session_id, number) where other_of is null;

-- An index under every foreign key.
create index on athlete (club_id);
create index on athlete (coach_id);
create index on account (club_id);
create index on sign_in (account_id);
create index on command (account_id);
create index on goal (athlete_id, event);
create index on landmark (attempt_id, name);
create index on playbook_change (account_id);
create index on plan_item (attempt_id);

-- +goose Down
drop index athlete_club_id_idx, athlete_coach_id_idx, account_club_id_idx, sign_in_account_id_idx, command_account_id_idx, goal_athlete_id_event_idx, landmark_attempt_id_name_idx, playbook_change_account_id_idx, plan_item_attempt_id_idx;
drop index attempt_number;
alter table athlete add column events text not null default '', add column schools text not null default '';
update athlete a set events = coalesce((select string_agg(event, ' ' order by number) from athlete_event where athlete_id = a.id and does), ''),
  schools = coalesce((select string_agg(event || '/' || school, ' ' order by number) from athlete_event where athlete_id = a.id and school <> ''), '');
drop table athlete_event;
