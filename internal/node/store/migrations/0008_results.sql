-- Results by month, so that old months are dropped whole. Each list has an index in its
-- own order; nothing else is read for it. A month is made when the first result of it is
-- kept.
alter table match_players rename to match_players_before;
alter table matches rename to matches_before;
alter table matches_before rename constraint matches_pkey to matches_before_pkey;
alter table match_players_before rename constraint match_players_pkey to match_players_before_pkey;
drop index matches_recent;
drop index match_players_player;

create table matches (
    ended_at timestamptz not null,
    id       uuid not null,
    lobby_id uuid not null,
    code     text not null,
    number   bigint not null,
    rulebook text not null,
    version  text not null,
    because  text not null,
    millis   bigint not null,
    result   jsonb not null,
    primary key (ended_at, id)
) partition by range (ended_at);
create unique index matches_once on matches (lobby_id, number, ended_at);
create index matches_of_rulebook on matches (rulebook, ended_at, id);
create index matches_of_code on matches (code, ended_at, id);
create index matches_by_id on matches (id);

create table match_players (
    player_id uuid not null,
    ended_at  timestamptz not null,
    match_id  uuid not null,
    rulebook  text not null,
    name      text not null,
    team      text not null,
    outcome   text not null,
    place     bigint not null,
    primary key (player_id, ended_at, match_id)
) partition by range (ended_at);
create index match_players_rulebook on match_players (player_id, rulebook, ended_at, match_id);

-- Makes the partitions of the month of a moment, if they are not there.
create function results_month(at timestamptz) returns void language plpgsql as $$
declare
    month timestamptz := date_trunc('month', at at time zone 'UTC') at time zone 'UTC';
    until timestamptz := (date_trunc('month', at at time zone 'UTC') + interval '1 month') at time zone 'UTC';
    label text := to_char(month at time zone 'UTC', 'YYYY_MM');
    base  text;
begin
    perform pg_advisory_xact_lock(7020190);
    foreach base in array array['matches', 'match_players'] loop
        if to_regclass(base || '_' || label) is null then
            execute format('create table %I partition of %I for values from (%L) to (%L)',
                base || '_' || label, base, month, until);
        end if;
    end loop;
end
$$;

do $$
declare m timestamptz;
begin
    for m in select distinct date_trunc('month', ended_at at time zone 'UTC') at time zone 'UTC' from matches_before
    loop
        perform results_month(m);
    end loop;
end
$$;
insert into matches (ended_at, id, lobby_id, code, number, rulebook, version, because, millis, result)
    select m.ended_at, m.id, m.lobby_id, l.code, m.number, m.rulebook, m.version, m.because, m.millis, m.result
    from matches_before m join lobbies l on l.id = m.lobby_id where not m.practice;
insert into match_players (player_id, ended_at, match_id, rulebook, name, team, outcome, place)
    select p.player_id, m.ended_at, p.match_id, m.rulebook, p.name, p.team, p.outcome, p.place
    from match_players_before p join matches_before m on m.id = p.match_id where not m.practice;
drop table match_players_before;
drop table matches_before;

-- What a player's results come to, by rulebook.
create table player_totals (
    player_id uuid not null references players (id) on delete cascade,
    rulebook  text not null,
    matches   bigint not null,
    won       bigint not null,
    lost      bigint not null,
    drawn     bigint not null,
    gone      bigint not null,
    millis    bigint not null,
    last_at   timestamptz not null,
    primary key (player_id, rulebook)
);
insert into player_totals
    select p.player_id, p.rulebook, count(*), count(*) filter (where outcome = 'won'),
        count(*) filter (where outcome = 'lost'), count(*) filter (where outcome = 'drawn'),
        count(*) filter (where outcome = 'left'), sum(m.millis), max(p.ended_at)
    from match_players p join matches m on m.id = p.match_id and m.ended_at = p.ended_at
    join players on players.id = p.player_id group by 1, 2;

create or replace function player_deleted() returns trigger language plpgsql as $$
begin
    update board_entries set removed = true, value = 0, match = null, version = version + 1,
        mark = pg_current_xact_id()::text::bigint where subject = old.id;
    delete from board_posts where subject = old.id;
    update matches m set result = jsonb_set(jsonb_set(m.result, '{players}', coalesce((
            select jsonb_agg(case when p ->> 'player' = old.id::text
                then p || '{"player": "", "name": "(erased)"}' else p end order by n)
            from jsonb_array_elements(m.result -> 'players') with ordinality as each (p, n)), '[]')),
            '{posts}', coalesce((
            select jsonb_agg(p) from jsonb_array_elements(
                case jsonb_typeof(m.result -> 'posts') when 'array' then m.result -> 'posts' else '[]' end) as p
            where p ->> 'player' is distinct from old.id::text), '[]'))
        from match_players x where x.player_id = old.id and m.id = x.match_id and m.ended_at = x.ended_at;
    delete from match_players where player_id = old.id;
    return old;
end
$$;
create index record_changes_at on record_changes (changed_at);
