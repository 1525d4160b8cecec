-- +goose Up
-- Key positions are named by key ids.
alter table stamp rename column place to key_id;

-- A landmark is an observation: it carries its own uncertainty, its source, a
-- confidence, and the run that proposed it. What a run proposes lies in paths of its
-- own, beside what the coach placed.
alter table following rename to landmark_run;
alter index following_attempt rename to landmark_run_attempt_id_idx;
alter table landmark_run
  add column kind text not null default 'following' check (kind in ('following', 'detection', 'fit')),
  add column first int not null default 0,   -- the first picture
  add column camera jsonb;                   -- how the still world moved from the first picture to each
alter table landmark_run alter column kind drop default;
create index on landmark_run (account_id);

create table landmark_path (
  run_id uuid not null references landmark_run on delete cascade,
  name text not null,
  source text not null check (source in ('followed', 'detected', 'fitted', 'filled')),
  input text not null,                       -- tells what it was found from
  x double precision[] not null,             -- px, one a picture from the run's first
  y double precision[] not null,
  u double precision[] not null,             -- px; 0 where it is lost
  confidence double precision[] not null,    -- 0 to 1
  lost jsonb not null,                       -- stretches on which it is lost, and why
  primary key (run_id, name),
  check (cardinality(x) = cardinality(y) and cardinality(x) = cardinality(u) and cardinality(x) = cardinality(confidence))
);
update landmark_run set first = (found->>'first')::int, camera = (found->'camera')::jsonb where found is not null;
insert into landmark_path (run_id, name, source, input, x, y, u, confidence, lost)
  select r.id, p->>'name', 'followed', coalesce(p->>'input', ''), x.of, y.of, u.of, array(select case when v > 0 then 1 else 0 end from unnest(u.of) v), coalesce(p->'lost', '[]')::jsonb
  from landmark_run r, json_array_elements(r.found->'paths') p,
    lateral (select array(select v::double precision from json_array_elements_text(p->'x') v) as of) x,
    lateral (select array(select v::double precision from json_array_elements_text(p->'y') v) as of) y,
    lateral (select array(select v::double precision from json_array_elements_text(p->'u') v) as of) u
  where r.found is not null;
alter table landmark_run drop column found;

alter table landmark drop constraint landmark_source_check;
update landmark set source = 'followed' where source = 'tracked';
alter table landmark
  add constraint landmark_source_check check (source in ('placed', 'followed', 'detected', 'fitted', 'filled')),
  add column u double precision not null default 0 check (u >= 0),                           -- px; 0: the hand's usual one
  add column confidence double precision not null default 1 check (confidence between 0 and 1),
  add column run_id uuid references landmark_run on delete set null;
create index on landmark (run_id);

-- spot is a point of a picture as the contract has it.
-- +goose StatementBegin
create or replace function spot(p point) returns json language sql immutable as $$
  select case when p is not null then json_build_object('x', p[0], 'y', p[1]) end
$$;
-- +goose StatementEnd

-- Calibration, each part in columns of its own type.
alter table calibration rename to calibration_json;
alter table calibration_json rename constraint calibration_pkey to calibration_json_pkey;
create table calibration (
  attempt_id uuid primary key references attempt on delete cascade,
  scale_a point, scale_b point, scale_m double precision check (scale_m > 0), scale_what text, scale_frame int,
  level_a point, level_b point, level_vertical boolean, level_frame int,
  origin point, origin_frame int,
  interval_from int, interval_to int, interval_s double precision, interval_u double precision,
  ramp_from int, ramp_to int,
  subject_frame int, subject_a point, subject_b point,
  repeats_frame int, repeats_landmark text, repeats_points point[],
  distance_m double precision,
  following_id uuid references landmark_run on delete set null,
  check (num_nulls(scale_a, scale_b, scale_m, scale_what) in (0, 4)),
  check (num_nulls(level_a, level_b, level_vertical) in (0, 3)),
  check (num_nulls(interval_from, interval_to, interval_s, interval_u) in (0, 4)),
  check (num_nulls(ramp_from, ramp_to) in (0, 2)),
  check (num_nulls(subject_frame, subject_a, subject_b) in (0, 3)),
  check (num_nulls(repeats_frame, repeats_landmark, repeats_points) in (0, 3))
);
create index on calibration (following_id);
create table control_point (
  attempt_id uuid not null references attempt on delete cascade,
  name text not null check (name <> ''),
  number int not null,                       -- in the coach's order
  x double precision not null, y double precision not null, z double precision not null, -- m
  px point not null,
  frame int not null,
  primary key (attempt_id, name)
);
create table rejected_proposal (
  attempt_id uuid not null references attempt on delete cascade,
  key_id text not null,
  number int not null,
  primary key (attempt_id, key_id)
);
-- +goose StatementBegin
create or replace function pg_temp.at(j jsonb) returns point language sql immutable as $$
  select case when jsonb_typeof(j) = 'object' then point((j->>'x')::double precision, (j->>'y')::double precision) end
$$;
-- +goose StatementEnd
insert into calibration
  select attempt_id,
    pg_temp.at(scale->'a'), pg_temp.at(scale->'b'), (scale->>'metres')::double precision, case when jsonb_typeof(scale) = 'object' then coalesce(scale->>'what', '') end, (scale->>'frame')::int,
    pg_temp.at(level->'a'), pg_temp.at(level->'b'), (level->>'vertical')::boolean, (level->>'frame')::int,
    pg_temp.at(origin), case when jsonb_typeof(origin_frame) = 'number' then origin_frame::int end,
    (known->>'from')::int, (known->>'to')::int, (known->>'seconds')::double precision, (known->>'u')::double precision,
    (ramp->>'from')::int, (ramp->>'to')::int,
    (subject->>'frame')::int, pg_temp.at(subject->'a'), pg_temp.at(subject->'b'),
    (repeats->>'frame')::int, repeats->>'landmark', case when jsonb_typeof(repeats->'points') = 'array' then array(select pg_temp.at(v) from jsonb_array_elements(repeats->'points') v) end,
    case when jsonb_typeof(distance) = 'number' then distance::double precision end,
    (select id from landmark_run where id::text = followed#>>'{}')
  from calibration_json;
insert into control_point
  select attempt_id, p->>'name', n::int, (p->'at'->>0)::double precision, (p->'at'->>1)::double precision, (p->'at'->>2)::double precision, pg_temp.at(p->'px'), (p->>'frame')::int
  from calibration_json, jsonb_array_elements(case when jsonb_typeof(places->'points') = 'array' then places->'points' else '[]' end) with ordinality as points(p, n);
insert into rejected_proposal
  select attempt_id, key_id, n::int from calibration_json, jsonb_array_elements_text(case when jsonb_typeof(rejected) = 'array' then rejected else '[]' end) with ordinality as keys(key_id, n)
  on conflict do nothing;
drop table calibration_json;

-- The history speaks as the contract does now.
-- +goose StatementBegin
create or replace function pg_temp.renamed(kind text, j jsonb) returns jsonb language sql immutable as $$
  select case kind
    when 'stamp' then j - 'place' || jsonb_build_object('keyId', j->'place')
    when 'rejected' then jsonb_build_object('keyIds', coalesce(j->'rejected', '[]'))
    when 'known' then j - 'known' || case when j ? 'known' then jsonb_build_object('knownInterval', j->'known') else '{}' end
    when 'followed' then j - 'followed' || case when j ? 'followed' then jsonb_build_object('following', j->'followed') else '{}' end
    when 'places' then jsonb_build_object('controlPoints', coalesce(j->'places'->'points', '[]'))
    when 'origin' then j - 'at' - 'frame' || case when j ? 'at' then jsonb_build_object('origin', jsonb_build_object('at', j->'at') || case when j ? 'frame' then jsonb_build_object('frame', j->'frame') else '{}' end) else '{}' end
    when 'mark' then j - 'worth' || jsonb_build_object('result', (coalesce(j->'worth', '{}') - 'value') || case when j->'worth' ? 'value' then jsonb_build_object('mark', j->'worth'->'value') else '{}' end)
    else j end
$$;
-- +goose StatementEnd
update command set body = pg_temp.renamed(kind, body), inverse = pg_temp.renamed(kind, inverse);
update command set kind = r.new from (values ('rejected', 'rejectedProposals'), ('known', 'knownInterval'), ('followed', 'following'), ('places', 'controlPoints'), ('follow', 'followUp'), ('close', 'closeFocus'), ('mark', 'result')) r(old, new)
  where kind = r.old;
update run set reading = convert_to(replace(convert_from(reading, 'UTF8'), '"place":', '"keyId":'), 'UTF8');

-- +goose Down
update run set reading = convert_to(replace(convert_from(reading, 'UTF8'), '"keyId":', '"place":'), 'UTF8');
update command set kind = r.old from (values ('rejected', 'rejectedProposals'), ('known', 'knownInterval'), ('followed', 'following'), ('places', 'controlPoints'), ('follow', 'followUp'), ('close', 'closeFocus'), ('mark', 'result')) r(old, new)
  where kind = r.new;
-- +goose StatementBegin
create or replace function pg_temp.former(kind text, j jsonb) returns jsonb language sql immutable as $$
  select case kind
    when 'stamp' then j - 'keyId' || jsonb_build_object('place', j->'keyId')
    when 'rejected' then jsonb_build_object('rejected', coalesce(j->'keyIds', '[]'))
    when 'known' then j - 'knownInterval' || case when j ? 'knownInterval' then jsonb_build_object('known', j->'knownInterval') else '{}' end
    when 'followed' then j - 'following' || case when j ? 'following' then jsonb_build_object('followed', j->'following') else '{}' end
    when 'places' then case when jsonb_array_length(coalesce(j->'controlPoints', '[]')) = 0 then '{}' else jsonb_build_object('places', jsonb_build_object('points', j->'controlPoints')) end
    when 'origin' then j - 'origin' || coalesce(j->'origin', '{}')
    when 'mark' then j - 'result' || jsonb_build_object('worth', (coalesce(j->'result', '{}') - 'mark') || case when j->'result' ? 'mark' then jsonb_build_object('value', j->'result'->'mark') else '{}' end)
    else j end
$$;
create or replace function pg_temp.object(p point) returns jsonb language sql immutable as $$
  select case when p is not null then jsonb_build_object('x', p[0], 'y', p[1]) end
$$;
-- +goose StatementEnd
update command set body = pg_temp.former(kind, body), inverse = pg_temp.former(kind, inverse);
create table calibration_json (
  attempt_id uuid primary key references attempt on delete cascade,
  scale jsonb, level jsonb, origin jsonb, known jsonb, ramp jsonb, subject jsonb, repeats jsonb, followed jsonb, origin_frame jsonb, places jsonb, rejected jsonb, distance jsonb
);
insert into calibration_json
  select a.id,
    (select jsonb_strip_nulls(jsonb_build_object('a', pg_temp.object(scale_a), 'b', pg_temp.object(scale_b), 'metres', scale_m, 'what', scale_what, 'frame', scale_frame)) where scale_a is not null),
    (select jsonb_strip_nulls(jsonb_build_object('a', pg_temp.object(level_a), 'b', pg_temp.object(level_b), 'vertical', level_vertical, 'frame', level_frame)) where level_a is not null),
    pg_temp.object(origin),
    (select jsonb_build_object('from', interval_from, 'to', interval_to, 'seconds', interval_s, 'u', interval_u) where interval_from is not null),
    (select jsonb_build_object('from', ramp_from, 'to', ramp_to) where ramp_from is not null),
    (select jsonb_build_object('frame', subject_frame, 'a', pg_temp.object(subject_a), 'b', pg_temp.object(subject_b)) where subject_a is not null),
    (select jsonb_build_object('frame', repeats_frame, 'landmark', repeats_landmark, 'points', (select jsonb_agg(pg_temp.object(p) order by n) from unnest(repeats_points) with ordinality as points(p, n))) where repeats_points is not null),
    to_jsonb(following_id), to_jsonb(origin_frame),
    (select jsonb_build_object('points', jsonb_agg(jsonb_build_object('name', name, 'at', jsonb_build_array(x, y, z), 'px', pg_temp.object(px), 'frame', frame) order by number)) from control_point where attempt_id = a.id having count(*) > 0),
    (select jsonb_agg(key_id order by number) from rejected_proposal where attempt_id = a.id),
    to_jsonb(distance_m)
  from attempt a left join calibration c on c.attempt_id = a.id
  where c.attempt_id is not null or exists (select from control_point where attempt_id = a.id) or exists (select from rejected_proposal where attempt_id = a.id);
drop table control_point, rejected_proposal, calibration;
alter table calibration_json rename to calibration;
alter table calibration rename constraint calibration_json_pkey to calibration_pkey;
alter table landmark drop column run_id, drop column confidence, drop column u, drop constraint landmark_source_check;
update landmark set source = case source when 'followed' then 'tracked' when 'fitted' then 'detected' else source end;
alter table landmark add constraint landmark_source_check check (source in ('placed', 'tracked', 'detected', 'filled'));
alter table landmark_run add column found json;
update landmark_run r set found = json_build_object('first', r.first, 'camera', coalesce(r.camera, '[]'),
  'paths', coalesce((select json_agg(json_build_object('name', name, 'input', input, 'x', x, 'y', y, 'u', u, 'lost', lost) order by name) from landmark_path where run_id = r.id), '[]')) where state = 'done';
drop table landmark_path;
delete from landmark_run where kind <> 'following';
drop index landmark_run_account_id_idx;
alter table landmark_run drop column kind, drop column first, drop column camera;
alter index landmark_run_attempt_id_idx rename to following_attempt;
alter table landmark_run rename to following;
alter table stamp rename column key_id to place;
drop function spot(point);
