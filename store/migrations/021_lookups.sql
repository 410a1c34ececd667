-- Whether a package was tried on a build is asked for each of a release's.
drop index trials_on_build;
create index trials_on_build on trials (build_id, package_id) include (method, outcome);
-- Whether some trial of a package came to something, for filters.
create index trials_outcomes on trials (package_id, outcome);
create index trials_methods on trials (package_id, method);
create index trials_persistences on trials (package_id, persistence);
-- On which model most rests on a package, the first of them.
drop index shipped_by_package;
create index shipped_by_package on shipped_by (package_id, hard desc, soft desc);
-- Counts up with whatever a build is found to ship.
alter table builds add shipped_stamp int not null default 0;

---- create above / drop below ----

drop index trials_on_build;
create index trials_on_build on trials (build_id);
drop index trials_outcomes, trials_methods, trials_persistences;
drop index shipped_by_package;
create index shipped_by_package on shipped_by (package_id);
alter table builds drop shipped_stamp;
