-- +goose Up
create table production (
  id text primary key,
  name text not null,
  unit text not null default 'metre',
  budget integer not null default 400000,     -- triangles that the lens view may draw
  revision bigint not null default 0,
  created timestamptz not null default now()
);

create table arrival (
  id text primary key,
  production_id text not null references production on delete cascade,
  name text not null,
  blob text not null,                          -- content hash of what came in
  bytes bigint not null,
  state text not null,                         -- waiting, working, done, failed, cancelled
  progress double precision not null default 0,
  note text not null default '',
  report jsonb,
  created timestamptz not null default now()
);
create index on arrival (production_id);

create table piece (
  id text primary key,
  production_id text not null references production on delete cascade,
  arrival_id text not null references arrival on delete cascade,
  name text not null,
  source text not null default '',             -- file within the arrival
  blob text not null,                          -- the model as read, as GLB in its own unit
  facts jsonb not null,                        -- what was read: bounds, weight, maps
  sizing jsonb not null,
  rev bigint not null default 0,
  gone boolean not null default false,
  created timestamptz not null default now()
);
create index on piece (production_id);

-- What is drawn of a piece: made at intake, never edited. front and top are
-- silhouettes for each up axis, in the file's unit.
create table piece_look (
  piece_id text primary key references piece on delete cascade,
  levels jsonb not null,
  front jsonb not null,
  top jsonb not null
);

create table sets (
  id text primary key,
  production_id text not null references production on delete cascade,
  name text not null,
  view jsonb not null,
  light jsonb not null,
  shot_id text not null default '',
  move jsonb,
  rev bigint not null default 0,
  created timestamptz not null default now()
);
create index on sets (production_id);

create table placement (
  id text primary key,
  set_id text not null references sets on delete cascade,
  piece_id text references piece on delete cascade,
  stand_in text not null default '',
  size_x double precision not null default 0, size_y double precision not null default 0, size_z double precision not null default 0,
  name text not null,
  x double precision not null, y double precision not null, z double precision not null,
  yaw double precision not null, pitch double precision not null, roll double precision not null,
  scale_x double precision not null, scale_y double precision not null, scale_z double precision not null,
  hidden boolean not null, locked boolean not null,
  ord integer not null,
  rev bigint not null default 0
);
create index on placement (set_id);

create table shot (
  id text primary key,
  set_id text not null references sets on delete cascade,
  name text not null,
  view jsonb not null,
  light jsonb not null,
  move jsonb,
  ord integer not null,
  rev bigint not null default 0
);
create index on shot (set_id);

create table take (
  id text primary key,
  set_id text not null references sets on delete cascade,
  shot_id text not null default '',
  name text not null,
  kind text not null,                          -- still, move
  state text not null,
  progress double precision not null default 0,
  note text not null default '',
  settings jsonb not null,
  result jsonb not null default '{}',
  job_id bigint,
  created timestamptz not null default now()
);
create index on take (set_id);

-- Every edit, in order. changes holds each row before and after.
create table log (
  id bigint generated always as identity primary key,
  production_id text not null references production on delete cascade,
  set_id text not null default '',
  revision bigint not null,
  label text not null,
  changes jsonb not null,
  undone boolean not null default false,
  dropped boolean not null default false,      -- undone, then overtaken by another edit
  at timestamptz not null default now()
);
create index on log (production_id, id);

-- +goose Down
drop table log, take, shot, placement, sets, piece_look, piece, arrival, production;
