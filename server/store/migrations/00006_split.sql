-- +goose Up
-- Key positions whose proposals a coach does not want.
alter table calibration add column rejected jsonb;
-- How an account reads directions: in degrees, or off one of two clock faces.
alter table account add column dial text not null default 'degrees' check (dial in ('degrees', 'clock-a', 'clock-b'));
-- Why an attempt was picked among those of its session to be worked on.
alter table attempt add column picked text;

-- +goose Down
alter table attempt drop column picked;
alter table account drop column dial;
alter table calibration drop column rejected;
