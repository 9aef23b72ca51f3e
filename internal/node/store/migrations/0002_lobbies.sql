-- What lobbies are found and listed by.
alter table lobbies
    add column name     text,
    add column free     integer not null default 0,
    add column waiting  integer not null default 0,
    add column password boolean not null default false;
create unique index lobbies_name on lobbies (rulebook, lower(name)) where closed_at is null and name is not null;
create index lobbies_fullest on lobbies (free, created_at desc, id desc) where closed_at is null and listed;
create index lobbies_book on lobbies (rulebook, created_at desc, id desc) where closed_at is null and listed;
create index lobbies_region on lobbies (region, created_at desc, id desc) where closed_at is null and listed;
create index lobbies_title on lobbies (lower(title) text_pattern_ops, id) where closed_at is null and listed;

-- How many open lobbies there are of each sort, so that a listing can say what it
-- left out without counting. Kept by a trigger, and touched only when a lobby
-- changes its sort.
create table lobby_tallies (
    rulebook text not null,
    region   text not null,
    sort     text not null,
    n        bigint not null,
    primary key (rulebook, region, sort)
);

create function lobby_sort(l lobbies) returns text language sql immutable as $$
    select case when l.closed_at is not null then null
                when not l.listed then 'hidden'
                when l.practice then 'practice'
                when not l.open then 'closed'
                when l.free = 0 then 'full'
                when l.state <> 'gathering' then 'playing'
                else 'free' end
$$;

create function lobby_tally() returns trigger language plpgsql as $$
declare
    was text := case when tg_op = 'INSERT' then null else lobby_sort(old) end;
    now text := case when tg_op = 'DELETE' then null else lobby_sort(new) end;
begin
    if was is distinct from now then
        if was is not null then
            update lobby_tallies set n = n - 1 where rulebook = old.rulebook and region = old.region and sort = was;
        end if;
        if now is not null then
            insert into lobby_tallies values (new.rulebook, new.region, now, 1)
                on conflict (rulebook, region, sort) do update set n = lobby_tallies.n + 1;
        end if;
    end if;
    return null;
end
$$;
create trigger lobbies_tally after insert or update or delete on lobbies for each row execute function lobby_tally();

insert into lobby_tallies
    select rulebook, region, lobby_sort(lobbies), count(*) from lobbies where lobby_sort(lobbies) is not null group by 1, 2, 3;
