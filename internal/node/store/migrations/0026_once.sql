-- Which matches are kept: each once, whenever it ended. The months of matches are partitions, and no unique
-- key reaches across them.
create table matches_kept (
    id       uuid primary key,
    ended_at timestamptz not null
);
insert into matches_kept (id, ended_at) select id, min(ended_at) from matches group by id;
create index matches_kept_month on matches_kept (ended_at);

do $$
declare
    twice bigint;
begin
    select count(*) into twice from (select 1 from matches group by id having count(*) > 1) x;
    if twice > 0 then
        raise warning 'Turnvex: % matches are kept more than once, with what counted of them; turnvex results shows each', twice;
    end if;
end
$$;
