-- +goose Up
-- Who allowed that an athlete is filmed, and when; the club's own rule for how long
-- films are kept.
alter table athlete
  add column consent_by text not null default '',
  add column consent_day date;
alter table club add column retention_months int check (retention_months between 1 and 240);

-- +goose Down
alter table club drop column retention_months;
alter table athlete drop column consent_by, drop column consent_day;
