-- The last transaction in which somebody wrote, by the way that they came: what
-- they read next has to know of it, from whichever replica.
alter table sessions add wrote xid8;
alter table tokens add wrote xid8;
