-- +goose Up

-- A clip is declared, arrives in parts, is looked at, trimmed, then decoded.
alter table clip drop constraint clip_status_check;
alter table clip add constraint clip_status_check check (status in ('uploading', 'looking', 'choosing', 'waiting', 'decoding', 'ready', 'failed'));
alter table clip alter column sha256 drop not null;
alter table clip drop constraint clip_rate_source_check;
alter table clip add constraint clip_rate_source_check check (rate_source in ('unknown', 'tag', 'file', 'chosen', 'interval', 'fall'));
alter table clip
  add column received bigint not null default 0,            -- bytes that are here
  add column touched timestamptz not null default now(),    -- when the last of them came
  add column codec text not null default '',
  add column film jsonb,                                    -- what a look at the file found
  add column pictures int not null default 0,               -- in the whole film
  add column seconds double precision not null default 0,   -- of the whole film, by its own time
  add column cut_from double precision not null default 0,  -- what is kept, in seconds of the file
  add column cut_to double precision not null default 0,
  add column kept_width int not null default 1280,          -- of kept pictures, px
  add column first int not null default 0,                  -- number of the first kept picture; frames counts the kept ones
  add column pts bigint[] not null default '{}',            -- of the pictures from the film's first to the last kept
  add column rate_u double precision not null default 0,    -- standard uncertainty of a measured capture rate
  add column brightness double precision not null default 0,
  add column blur double precision not null default 0;
update clip set received = bytes, pictures = frames, pts = coalesce((select array_agg(f.pts order by f.number) from frame f where f.clip_id = clip.id), '{}');

-- A JPEG does not shrink: it is kept as it is.
alter table frame alter column jpeg set storage external;

-- A run is kept to the byte as it was computed.
delete from run;
alter table run alter column reading type bytea using convert_to(reading::text, 'UTF8');
alter table run alter column reading set storage external;

create table clip_preview (
  clip_id uuid not null references clip on delete cascade,
  number int not null,
  at double precision not null,  -- seconds of the file
  jpeg bytea not null,
  primary key (clip_id, number)
);

create table clip_sound (
  clip_id uuid primary key references clip on delete cascade,
  rate int not null,
  samples bytea not null         -- 16 bit, one channel, from the first kept picture on
);
alter table clip_sound alter column samples set storage external;

alter table calibration
  add column known jsonb,        -- two pictures and the seconds between them
  add column ramp jsonb,         -- which pictures of the film are slowed
  add column subject jsonb,      -- which of several people is the athlete
  add column repeats jsonb;      -- one joint placed several times

-- Who did what stays when an account goes.
alter table command drop constraint command_account_id_fkey;
alter table command alter column account_id drop not null;
alter table command add constraint command_account_id_fkey foreign key (account_id) references account on delete set null;
alter table athlete drop constraint athlete_coach_id_fkey;
alter table athlete add constraint athlete_coach_id_fkey foreign key (coach_id) references account on delete cascade;
alter table attempt drop constraint attempt_athlete_id_fkey;
alter table attempt add constraint attempt_athlete_id_fkey foreign key (athlete_id) references athlete on delete cascade;

create table token (
  id uuid primary key,
  account_id uuid not null references account on delete cascade,
  name text not null check (name <> ''),
  token_hash bytea not null unique,
  made timestamptz not null default now(),
  used timestamptz
);
create index on token (account_id);

-- Sign-ins that failed, to slow guessing down.
create table sign_in_miss (
  login text not null,
  address text not null,
  at timestamptz not null default now()
);
create index on sign_in_miss (at);

-- +goose Down
drop table sign_in_miss, token, clip_sound, clip_preview;
alter table calibration drop column known, drop column ramp, drop column subject, drop column repeats;
alter table clip drop column received, drop column touched, drop column codec, drop column pictures, drop column seconds, drop column cut_from,
  drop column cut_to, drop column film, drop column kept_width, drop column first, drop column pts, drop column rate_u, drop column brightness, drop column blur;
