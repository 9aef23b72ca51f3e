-- What must hold of rows, and what they refer to. What is there is looked at too; where some of it does not hold, that is
-- said, and only new rows are held to it.
create function must_hold(of_table regclass, label text, rule text) returns void language plpgsql as $$
begin
    execute format('alter table %s add constraint %I %s not valid', of_table, label, rule);
    begin
        execute format('alter table %s validate constraint %I', of_table, label);
    exception when check_violation or foreign_key_violation then
        raise warning 'Turnvex: rows of % do not keep to %: %', of_table, label, sqlerrm;
    end;
end
$$;

select must_hold('players', 'players_named', 'check (name <> '''')');
select must_hold('players', 'players_banned', 'check (banned_until is null or banned_at is not null)');
select must_hold('rulebooks', 'rulebooks_tried', 'check (not (current and tried))');
select must_hold('lobbies', 'lobbies_counts', 'check (capacity >= 0 and seats >= 0 and free between 0 and capacity and waiting >= 0)');
select must_hold('records', 'records_form', 'check (form in (1, 2) and version >= 0 and jsonb_typeof(fields) = ''object'')');
select must_hold('board_seasons', 'board_seasons_span', 'check (ends > begins and (closed_at is null or ends is not null))');
select must_hold('board_entries', 'board_entries_counts', 'check (posts >= 0 and version > 0)');
select must_hold('board_entries', 'board_entries_season_fkey',
    'foreign key (season) references board_seasons (id) on delete cascade');
select must_hold('player_totals', 'player_totals_counts',
    'check (least(matches, won, lost, drawn, gone, millis) >= 0 and won + lost + drawn + gone <= matches)');
select must_hold('series', 'series_seq', 'check (seq >= 0)');
select must_hold('series_players', 'series_players_entrant', 'check (entrant >= 0)');
select must_hold('nodes', 'nodes_counts', 'check (least(epoch, lobbies, seats, connections) >= 0)');
select must_hold('devices', 'devices_hash', 'check (octet_length(key_hash) = 32)');
select must_hold('refresh_tokens', 'refresh_tokens_hash', 'check (octet_length(hash) = 32)');
select must_hold('refresh_tokens', 'refresh_tokens_device_fkey',
    'foreign key (device_id) references devices (id) on delete cascade');
select must_hold('ledger_checkpoints', 'ledger_checkpoints_place', 'check (seq >= 0 and tick >= 0)');
select must_hold('ledger_segments', 'ledger_segments_place', 'check (seq >= 0 and tick >= 0)');
-- Months of results are partitions: what holds of them holds of each that is made.
alter table matches add constraint matches_counts check (number > 0 and millis >= 0);
alter table match_players add constraint match_players_outcome
    check (outcome in ('none', 'won', 'lost', 'drawn', 'left') and place >= 0);
drop function must_hold(regclass, text, text);

alter table ledger_lobbies drop column bytes;
