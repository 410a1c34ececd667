-- Whether a package was tried on a build is asked for each of a release's.
drop index trials_on_build;
create index trials_on_build on trials (build_id, package_id) include (method, outcome);

-- Counts up with whatever a build is found to ship.
alter table builds add shipped_stamp int not null default 0;

---- create above / drop below ----

drop index trials_on_build;
create index trials_on_build on trials (build_id);
alter table builds drop shipped_stamp;
