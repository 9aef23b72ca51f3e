-- Results are found by their IDs in a hash index: it reads as many pages however many there are, and
-- is half as large.
drop index matches_by_id;
create index matches_by_id on matches using hash (id);
