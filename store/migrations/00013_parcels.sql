-- +goose Up
-- What is handed over as one file. It is made again when it is lost, so that no dump has it.
create table parcel (
  id text primary key,
  production_id text not null references production on delete cascade,
  name text not null,
  state text not null,                         -- waiting, working, done, failed, cancelled
  progress double precision not null default 0,
  note text not null default '',
  settings jsonb not null,
  result jsonb not null default '{}',
  job_id bigint,
  created timestamptz not null default now()
);
create index on parcel (production_id);

-- +goose Down
drop table parcel;
