-- +goose Up
-- Another film of the same attempt, from another side, is an attempt of its own
-- that says of which it is the other film.
alter table attempt add column other_of uuid unique references attempt on delete cascade;
-- Points of the world whose places are known, as the film shows them.
alter table calibration add column places jsonb;

-- +goose Down
alter table calibration drop column places;
alter table attempt drop column other_of;
