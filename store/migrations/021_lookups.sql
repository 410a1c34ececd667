-- Whether a package was tried on a build is asked for each of a release's.
drop index trials_on_build;
create index trials_on_build on trials (build_id, package_id) include (method, outcome);
-- What trials of a package came to, for filters.
drop index trials_of_package;
create index trials_of_package on trials (package_id, at desc) include (outcome, method, persistence);
-- On which model most rests on a package, the first of them.
drop index shipped_by_package;
create index shipped_by_package on shipped_by (package_id, hard desc, soft desc);
-- Counts up with whatever a build is found to ship.
alter table builds add shipped_stamp int not null default 0;

---- create above / drop below ----

drop index trials_on_build;
create index trials_on_build on trials (build_id);
drop index trials_of_package;
create index trials_of_package on trials (package_id, at desc);
drop index shipped_by_package;
create index shipped_by_package on shipped_by (package_id);
alter table builds drop shipped_stamp;
