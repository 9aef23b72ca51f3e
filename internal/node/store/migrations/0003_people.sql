-- Accounts: a login name and a password for a player.
create table accounts (
    player_id  uuid primary key references players (id) on delete cascade,
    login      text not null unique,
    password   text not null,
    created_at timestamptz not null,
    changed_at timestamptz not null
);

-- Refresh tokens. Each is used once; all that follow from one sign-in are a family.
create table refresh_tokens (
    hash       bytea primary key,
    family     uuid not null,
    player_id  uuid not null references players (id) on delete cascade,
    created_at timestamptz not null,
    expires_at timestamptz not null,
    used_at    timestamptz
);
create index refresh_tokens_family on refresh_tokens (family);
create index refresh_tokens_player on refresh_tokens (player_id);
create index refresh_tokens_expires on refresh_tokens (expires_at);

-- Tokens of a player from before this moment are void.
alter table players add column void_before timestamptz;

-- Keys of programs and operators.
create table service_keys (
    id         uuid primary key,
    name       text not null,
    hash       text not null unique,
    scopes     text not null,
    created_at timestamptz not null,
    used_at    timestamptz,
    revoked_at timestamptz
);
create unique index service_keys_name on service_keys (name) where revoked_at is null;
