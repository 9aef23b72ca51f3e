-- Matches that belong together: the state after the latest input, and every input.
create table series (
    id uuid primary key,
    name text not null,
    title text not null,
    node text not null,
    plan bytea not null,
    state jsonb not null,
    seq bigint not null,
    over boolean not null default false,
    opened_at timestamptz not null,
    changed_at timestamptz not null
);
create index series_open on series (node) where not over;
create index series_newest on series (opened_at desc, id);
create table series_inputs (
    series_id uuid not null references series on delete cascade,
    seq bigint not null,
    input jsonb not null,
    primary key (series_id, seq)
);
create table series_players (
    player_id uuid not null references players on delete cascade,
    series_id uuid not null references series on delete cascade,
    entrant int not null,
    primary key (player_id, series_id)
);
