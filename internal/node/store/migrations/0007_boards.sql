-- Seasons of leaderboards. A board that is never renewed has one, called all.
create table board_seasons (
    id        bigint generated always as identity primary key,
    rulebook  text not null,
    board     text not null,
    name      text not null,
    begins    timestamptz not null,
    ends      timestamptz,
    closed_at timestamptz,
    unique (rulebook, board, name)
);
create index board_seasons_begins on board_seasons (rulebook, board, begins desc);
create index board_seasons_closing on board_seasons (ends) where closed_at is null and ends is not null;

-- Entries: whoever posted to a season, a player or a team. version counts the changes of
-- an entry; mark is the transaction that changed it last, by which nodes find what is new.
-- An entry that was taken away stays for a while, so that others learn of it.
create table board_seasons_entries (
    season     bigint not null,
    subject    uuid not null,
    team       text not null default '',
    value      bigint not null,
    posts      bigint not null,
    reached_at timestamptz not null,
    client_at  timestamptz,
    match      uuid,
    removed    boolean not null default false,
    barred     boolean not null default false,
    version    bigint not null,
    mark       bigint not null,
    primary key (season, subject)
);
insert into board_seasons (rulebook, board, name, begins)
    select distinct rulebook, board, 'all', timestamptz '1970-01-01 00:00:00Z' from board_entries;
insert into board_seasons_entries (season, subject, value, posts, reached_at, version, mark)
    select s.id, e.player_id, e.value, 1, e.posted_at, 1, pg_current_xact_id()::text::bigint
    from board_entries e join board_seasons s using (rulebook, board);
drop table board_entries;
alter table board_seasons_entries rename to board_entries;
alter index board_seasons_entries_pkey rename to board_entries_pkey;
create index board_entries_mark on board_entries (mark);
create index board_entries_subject on board_entries (subject);

-- Posts that carry an ID: each counts once.
create table board_posts (
    rulebook  text not null,
    board     text not null,
    id        uuid not null,
    subject   uuid not null,
    value     bigint not null,
    posted_at timestamptz not null,
    primary key (rulebook, board, id)
);
create index board_posts_posted on board_posts (posted_at);
create index board_posts_subject on board_posts (subject);

-- Players who may not stand on a board, and what operators did to boards.
create table board_bars (
    rulebook  text not null,
    board     text not null,
    player_id uuid not null references players (id) on delete cascade,
    author    text not null,
    why       text not null,
    barred_at timestamptz not null,
    primary key (rulebook, board, player_id)
);
create table board_acts (
    id       bigint generated always as identity primary key,
    rulebook text not null,
    board    text not null,
    season   text not null default '',
    subject  uuid,
    act      text not null,
    author   text not null,
    why      text not null,
    acted_at timestamptz not null
);
create index board_acts_of on board_acts (rulebook, board, id desc);

-- The nodes: when each was seen last, and from when on it may yet keep something.
create table nodes (
    name       text primary key,
    seen_at    timestamptz not null,
    holds_from timestamptz not null
);

-- Whose name has changed, by which nodes find new names; and what a deleted player's
-- entries become.
alter table players add column mark bigint not null default 0;
create index players_mark on players (mark) where mark > 0;
create function player_renamed() returns trigger language plpgsql as $$
begin
    if new.name is distinct from old.name then
        new.mark = pg_current_xact_id()::text::bigint;
    end if;
    return new;
end
$$;
create trigger players_renamed before update of name on players for each row execute function player_renamed();
create function player_deleted() returns trigger language plpgsql as $$
begin
    update board_entries set removed = true, value = 0, match = null, version = version + 1,
        mark = pg_current_xact_id()::text::bigint where subject = old.id;
    delete from board_posts where subject = old.id;
    return old;
end
$$;
create trigger players_deleted before delete on players for each row execute function player_deleted();
