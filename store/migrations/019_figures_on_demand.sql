-- Figures are kept where somebody has looked from, and are made when they are
-- asked for: of everywhere always, of a build, a model or a maker once it is
-- looked at. A trial that is accepted has then few of them to write.

-- Counts up with whatever changes a package's trials; 0 where there were never
-- any, below 0 where none are left.
alter table packages add trials_stamp bigint not null default 0;
update packages p set trials_stamp = 1 where exists (select from trials where package_id = p.id);

drop table figures;
create table figures (
	-- From where the trials are seen: a build, model or maker, or everywhere
	-- (all zeros); with an Android release where the place is a model or maker
	-- and it is known. core/evidence.Vantages, the first.
	place uuid not null,
	release text not null,
	package_id uuid not null references packages,
	method text not null,
	-- The package's when these were made: they hold while it is the same.
	stamp bigint not null,
	ceiling double precision not null,
	floor double precision not null,
	standing text not null,
	phones int not null,
	people int not null,
	harmed_phones int not null,
	suggested text not null,
	-- ticks of the trial strip, nearest firmware first: core/evidence.Strip
	strip text not null,
	primary key (place, release, package_id, method)
);
delete from settings where key = 'figures version';

---- create above / drop below ----

alter table packages drop trials_stamp;
drop table figures;
create table figures (
	package_id uuid not null references packages,
	method text not null,
	place uuid not null,
	release text not null,
	ceiling double precision not null,
	floor double precision not null,
	standing text not null,
	phones int not null,
	people int not null,
	harmed_phones int not null,
	suggested text not null,
	strip text not null,
	primary key (package_id, method, place, release)
);
create index figures_everywhere on figures (method, package_id) where place = '00000000-0000-0000-0000-000000000000';
create index figures_near on figures (place, package_id, release) include (standing) where method = 'remove-for-user' and place <> '00000000-0000-0000-0000-000000000000';
delete from settings where key = 'figures version';
