-- What the lobbies of a node have taken in, in the order of their group commits: what a node
-- that starts again plays back from its last checkpoints.
create table ledger_log (
    id bigint generated always as identity primary key,
    node text not null,
    data bytea not null,
    at timestamptz not null default clock_timestamp()
);
create index ledger_log_node on ledger_log (node, id);

-- A lobby as it was opened, for as long as its journal is kept.
create table ledger_lobbies (
    lobby_id uuid primary key,
    node text not null,
    code text not null,
    name text not null,
    rulebook text not null,
    version text not null,
    setup bytea not null,
    opened_at timestamptz not null,
    ended_at timestamptz,
    bytes bigint not null default 0
);
create index ledger_lobbies_node on ledger_lobbies (node) where ended_at is null;
create index ledger_lobbies_ended on ledger_lobbies (ended_at) where ended_at is not null;

-- No reference between these: a row that finds no lobby must not keep the others of its commit
-- from being written.
--
-- The whole state of a lobby that is open, after the entry seq of its journal; pieces of the
-- journal of a lobby, open or ended; and what the tokens in both stand for.
create table ledger_checkpoints (
    lobby_id uuid primary key,
    seq bigint not null,
    data bytea not null,
    at timestamptz not null default clock_timestamp()
);
create table ledger_segments (
    lobby_id uuid not null,
    seq bigint not null,
    data bytea not null,
    primary key (lobby_id, seq)
);
create table ledger_people (
    lobby_id uuid not null,
    token text not null,
    of_token text not null,
    text text not null,
    primary key (lobby_id, token, of_token)
);
create index ledger_people_text on ledger_people (text);

-- The moment up to which everything that a node's lobbies took in is here.
create table ledger_nodes (
    node text primary key,
    alive_at timestamptz not null
);
alter table ledger_checkpoints add column began_at timestamptz not null;

-- Of a player who is deleted no journal tells who they were.
create or replace function player_forgotten() returns trigger language plpgsql as $$
begin
    delete from ledger_people n using ledger_people a
        where a.text = old.id::text and n.lobby_id = a.lobby_id and (n.token = a.token or n.of_token = a.token);
    return old;
end
$$;
create trigger player_forgotten before delete on players for each row execute function player_forgotten();
