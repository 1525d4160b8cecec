-- +goose Up
-- What an attempt was worth, in hundredths of a metre or second, and how it was
-- lost.
alter table attempt add column mark int check (mark > 0);
alter table attempt add column foul text not null default '';

-- +goose Down
alter table attempt drop column foul;
alter table attempt drop column mark;
