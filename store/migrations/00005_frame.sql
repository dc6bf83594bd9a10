-- +goose Up
-- What a shot keeps beside view, light and move. Moves are read in both forms, so
-- that what the log kept can be undone.
alter table sets
  add column hide jsonb not null default '[]',
  add column first_frame integer not null default 0,
  add column last_frame integer not null default 0,
  add column match jsonb;
alter table shot
  add column hide jsonb not null default '[]',
  add column first_frame integer not null default 0,
  add column last_frame integer not null default 0,
  add column match jsonb,
  add column note text not null default '',
  add column status text not null default '';

-- +goose Down
alter table shot drop column status, drop column note, drop column match, drop column last_frame, drop column first_frame, drop column hide;
alter table sets drop column match, drop column last_frame, drop column first_frame, drop column hide;
