-- Whose tokens of before a moment are good no more, for all nodes to end connections by.
create table voided (
    id bigint generated always as identity primary key,
    subject text not null,
    before timestamptz not null,
    at timestamptz not null default clock_timestamp()
);
create index voided_at on voided (at);
create index if not exists refresh_tokens_family on refresh_tokens (family);
