-- What a node says of itself, and the lease under which its lobbies are alive. The epoch grows
-- each time that a node begins to hold a lease, or loses it: what was begun under an earlier one
-- writes nothing any more.
alter table nodes
    add column epoch       bigint not null default 0,
    add column address     text not null default '',
    add column bus         text not null default '',
    add column region      text not null default '',
    add column version     text not null default '',
    add column started_at  timestamptz,
    add column lease_until timestamptz not null default '-infinity',
    add column lobbies     integer not null default 0,
    add column seats       integer not null default 0,
    add column connections integer not null default 0,
    add column draining    boolean not null default false;

-- Under which epoch of its node a lobby is alive; 0 while its node has not taken it yet.
alter table lobbies add column epoch bigint not null default 0;
create index lobbies_alive on lobbies (node, epoch) where closed_at is null;
create index lobbies_changed on lobbies (updated_at);
alter table series add column epoch bigint not null default 0;
