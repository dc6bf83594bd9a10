-- +goose Up
-- Parts of a take that several workers make: ranges of samples of a still, frames of a move. They are there while the
-- take is made, and are made again when they are lost, so that no dump has them.
create table take_part (
  take_id text not null references take on delete cascade,
  n int not null,
  state text not null default 'open',          -- open, claimed, done
  worker text not null default '',
  beat timestamptz not null default now(),     -- when its worker was last heard of
  result jsonb not null default '{}',
  primary key (take_id, n)
);

-- +goose Down
drop table take_part;
