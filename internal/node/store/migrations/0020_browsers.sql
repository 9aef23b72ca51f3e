-- Sessions of service keys in browsers: a cookie that scripts cannot read renews their tokens.
create table browser_sessions (
    hash bytea primary key,
    key_id uuid not null references service_keys (id) on delete cascade,
    created_at timestamptz not null,
    used_at timestamptz not null,
    expires_at timestamptz not null
);
create index on browser_sessions (expires_at);
