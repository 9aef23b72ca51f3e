-- Players and the devices they sign in with.
create table players (
    id         uuid primary key,
    name       text not null,
    created_at timestamptz not null,
    seen_at    timestamptz not null
);
create table devices (
    key_hash   bytea primary key,
    player_id  uuid not null references players (id) on delete cascade,
    created_at timestamptz not null
);
create index devices_player on devices (player_id);

-- Every version of every rulebook that was loaded.
create table rulebooks (
    name       text not null,
    version    text not null,
    title      text not null,
    source     bytea not null,
    created_at timestamptz not null,
    current    boolean not null,
    primary key (name, version)
);
create unique index rulebooks_current on rulebooks (name) where current;

-- The directory of lobbies, open and closed.
create table lobbies (
    id         uuid primary key,
    code       text not null,
    rulebook   text not null,
    version    text not null,
    title      text not null,
    region     text not null,
    node       text not null,
    state      text not null,
    seats      integer not null,
    capacity   integer not null,
    practice   boolean not null,
    open       boolean not null,
    listed     boolean not null,
    created_at timestamptz not null,
    updated_at timestamptz not null,
    closed_at  timestamptz
);
create unique index lobbies_code on lobbies (code) where closed_at is null;
create index lobbies_listing on lobbies (created_at desc, id desc) where closed_at is null and listed;

-- Matches that have ended, with their results.
create table matches (
    id         uuid primary key,
    lobby_id   uuid not null references lobbies (id),
    number     bigint not null,
    rulebook   text not null,
    version    text not null,
    because    text not null,
    millis     bigint not null,
    practice   boolean not null,
    ended_at   timestamptz not null,
    result     jsonb not null,
    unique (lobby_id, number)
);
create index matches_recent on matches (ended_at desc, id desc);
create table match_players (
    match_id  uuid not null references matches (id) on delete cascade,
    player_id uuid not null references players (id) on delete cascade,
    name      text not null,
    team      text not null,
    outcome   text not null,
    place     bigint not null,
    primary key (match_id, player_id)
);
create index match_players_player on match_players (player_id);

-- What is kept of a player between matches of a rulebook.
create table records (
    player_id  uuid not null references players (id) on delete cascade,
    rulebook   text not null,
    fields     jsonb not null,
    updated_at timestamptz not null,
    primary key (player_id, rulebook)
);

-- Leaderboards: one entry a player.
create table board_entries (
    rulebook  text not null,
    board     text not null,
    player_id uuid not null references players (id) on delete cascade,
    value     bigint not null,
    posted_at timestamptz not null,
    primary key (rulebook, board, player_id)
);
create index board_entries_most on board_entries (rulebook, board, value desc, posted_at, player_id);
create index board_entries_least on board_entries (rulebook, board, value, posted_at, player_id);

-- What all nodes share and the first start makes: keys and their hashes.
create table settings (
    name  text primary key,
    value text not null
);
