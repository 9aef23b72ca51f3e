-- Bans of players who were deleted, by the devices that they had.
create table kept_bans (
    key_hash  bytea primary key check (octet_length(key_hash) = 32),
    player_id uuid not null,
    until     timestamptz,
    why       text not null default ''
);
create index kept_bans_player on kept_bans (player_id);
