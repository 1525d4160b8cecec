-- +goose Up
-- What a body model says of a clip's pictures: each is looked at once.
create table body_look (
  clip_id uuid not null references clip on delete cascade,
  frame int not null,
  score double precision not null,
  size double precision not null,
  points double precision[] not null, -- x, y, visible, peak, apart of each; empty: nobody
  next double precision[] not null,   -- the square to look in on the next picture: x, y, size, turn; empty: none
  primary key (clip_id, frame)
);

-- Found points that a coach has moved or confirmed.
create table point_check (
  attempt_id uuid not null references attempt on delete cascade,
  frame int not null,
  name text not null,
  off double precision not null, -- mean square of the ways off along the axes, in squares of its uncertainty before any widening
  inside boolean not null,       -- within two of its uncertainties as it was shown
  moved boolean not null,
  primary key (attempt_id, frame, name)
);

-- By how much a run widened what the body model was unsure of.
alter table landmark_run add column widened double precision not null default 1.5;

-- What an attempt shows by what was found, before anybody looked at it.
alter table landmark_run add column says text not null default '';

-- How well a line has the known length, m.
alter table calibration add column scale_u double precision not null default 0 check (scale_u >= 0);

-- A command of the background is none that a coach takes back.
alter table command add column background boolean not null default false;

-- +goose Down
alter table command drop column background;
alter table calibration drop column scale_u;
alter table landmark_run drop column widened, drop column says;
drop table point_check;
drop table body_look;
