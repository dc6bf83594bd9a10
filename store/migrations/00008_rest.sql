-- +goose Up
-- Things that are being let fall until they rest. was is where they stood then, so that
-- what was moved meanwhile is not moved back.
create table settling (
  id text primary key,
  set_id text not null references sets on delete cascade,
  name text not null,
  actor text not null default '',
  was json not null,
  seed bigint not null,
  progress real not null default 0,
  job_id bigint,
  created timestamptz not null default now()
);
create index on settling (set_id);

-- +goose Down
drop table settling;
