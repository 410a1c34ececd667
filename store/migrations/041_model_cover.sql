-- What is known of a model's builds together, counted with build_cover: coverage is
-- read by model, however many builds there are. A model that nobody has counted yet
-- has no row.
create table model_cover (
	model_id uuid primary key references models,
	builds int not null,
	captured int not null,
	packages int not null,
	graded int not null,
	tried int not null,
	wanted int not null,
	phones int not null,
	-- of the build that most people captured
	people int not null,
	captured_at timestamptz
);
insert into model_cover
select b.model_id, count(*), count(*) filter (where v.packages > 0), coalesce(sum(v.packages), 0),
	coalesce(sum(v.graded), 0), coalesce(sum(v.tried), 0), coalesce(sum(v.wanted), 0), coalesce(sum(v.phones), 0),
	coalesce(max(v.people), 0), max(v.captured_at)
from builds b
left join build_cover v on v.build_id = b.id
group by 1;
-- Where one more phone would help most.
create index build_cover_helpful on build_cover (wanted desc, (tried::float8 / packages))
	where packages > 0 and tried < packages;

---- create above / drop below ----

drop index build_cover_helpful;
drop table model_cover;
