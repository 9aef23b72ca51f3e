-- What operators and service keys change: a line before it is done, and what came of it after.
create table audit (
    id bigint generated always as identity primary key,
    at timestamptz not null default clock_timestamp(),
    who text not null,
    what text not null,
    subject text not null,
    details text not null,
    why text not null,
    address text not null,
    outcome text not null default ''
);
create index audit_who on audit (who, id desc);
create index audit_subject on audit (subject, id desc);

-- Secrets that sign tokens: the newest signs, older ones are believed until they are removed.
create table signing_keys (
    id text primary key,
    secret text not null,
    created_at timestamptz not null
);

-- Devices have an ID to be told apart by, a name, and the sign-ins that came of them.
alter table devices add column id uuid not null default gen_random_uuid() unique;
alter table devices add column name text not null default '';
alter table devices add column seen_at timestamptz;
update devices set seen_at = created_at;
alter table devices alter column seen_at set not null;
create index if not exists devices_player on devices (player_id);
alter table refresh_tokens add column device_id uuid;
create index refresh_tokens_device on refresh_tokens (device_id) where device_id is not null;

-- A key of before has only a digest; a newer one is found by its ID and compared at a cost.
alter table service_keys add column old_hash text not null default '';
alter table service_keys add column old_until timestamptz;

-- Players who may not come in, and codes with which an account is got back.
alter table players add column banned_at timestamptz;
alter table players add column banned_until timestamptz;
alter table players add column banned_why text not null default '';
create table recoveries (
    player_id uuid primary key references players (id) on delete cascade,
    hash bytea not null unique,
    expires_at timestamptz not null
);

-- Results of lobbies that were not listed are for those who took part.
alter table matches add column hidden boolean not null default false;
alter table service_keys add column finder text unique;
alter table service_keys add column void_before timestamptz;
