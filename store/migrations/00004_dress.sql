-- +goose Up
alter table placement
  add column layer text not null default '',
  add column group_id text not null default '',
  add column tint text not null default '',
  add column recast text not null default '';   -- the stand-in that it took the place of

-- What of a set is described and not placed: rooms, rows, drifts, ground, ...
create table element (
  id text primary key,
  set_id text not null references sets on delete cascade,
  kind text not null,
  name text not null,
  layer text not null default '',
  hidden boolean not null default false,
  locked boolean not null default false,
  ord integer not null,
  spec json not null,                           -- json, not jsonb: as it was written
  rev bigint not null default 0
);
create index on element (set_id);

-- What the log keeps comes back as it was written: jsonb makes 0 of -0.
alter table log alter column changes type json using changes::json;

-- +goose Down
alter table log alter column changes type jsonb using changes::jsonb;
drop table element;
alter table placement drop column recast, drop column tint, drop column group_id, drop column layer;
