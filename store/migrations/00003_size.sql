-- +goose Up
alter table piece
  add column subject jsonb not null default '{}'; -- what a proposal of its size goes by, as it came
alter table piece_look add column right_ jsonb not null default '{}'; -- silhouettes from the right

-- +goose Down
alter table piece_look drop column right_;
alter table piece drop column subject;
