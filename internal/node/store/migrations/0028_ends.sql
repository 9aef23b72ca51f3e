-- What grows has an end. A line of sign-ins has one row, which holds the newest of its refresh tokens, and so has
-- everybody who signs in again with one device.
alter table refresh_tokens add column session text not null default '';
delete from refresh_tokens t where used_at is not null or exists (select 1 from refresh_tokens o
    where o.device_id = t.device_id and o.used_at is null and (o.created_at, o.hash) > (t.created_at, t.hash));
alter table refresh_tokens drop column used_at;
drop index refresh_tokens_device;
create unique index refresh_tokens_device on refresh_tokens (device_id) where device_id is not null;

-- By what old rows are found.
create index lobbies_closed on lobbies (closed_at) where closed_at is not null;
create index players_once on players (seen_at, id) where banned_at is null and seen_at - created_at < interval '1 day';
create index audit_at on audit (at);
create index board_acts_at on board_acts (acted_at);
create index board_seasons_closed on board_seasons (closed_at) where closed_at is not null;
create index series_over on series (changed_at) where over;
