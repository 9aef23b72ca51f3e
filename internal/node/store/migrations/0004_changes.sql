-- Records are kept by what happens to them. form says how the values are written: 1 as
-- they were by position, 2 by word, as docs/http.md describes.
alter table records add column form smallint not null default 1;

-- What happened to each record: the n-th save of a lobby is applied once, however often
-- it is tried.
create table record_changes (
    lobby_id   uuid not null,
    number     bigint not null,
    player_id  uuid not null references players (id) on delete cascade,
    rulebook   text not null,
    version    text not null,
    match      bigint not null,
    changes    jsonb not null,
    was        jsonb not null,
    became     jsonb not null,
    changed_at timestamptz not null,
    primary key (lobby_id, number)
);
create index record_changes_of_player on record_changes (player_id, rulebook, changed_at desc);
