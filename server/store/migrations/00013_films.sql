-- +goose Up
-- What is wrong, or out of the ordinary, with a film that can be used all the same.
alter table clip add column condition jsonb;

-- +goose Down
alter table clip drop column condition;
