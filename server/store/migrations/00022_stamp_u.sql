-- +goose Up
-- By how much a key position that was found, and that nobody has looked at, is off, s.
alter table stamp add column u double precision not null default 0 check (u >= 0);

-- +goose Down
alter table stamp drop column u;
