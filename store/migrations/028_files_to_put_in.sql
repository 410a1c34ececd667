-- Package files on their way to the bench that puts them in: they are gone when it
-- has them.
create table handed_files (
	id uuid primary key,
	bench_id uuid not null references benches on delete cascade,
	name text not null,
	size bigint not null,
	made_at timestamptz not null default now()
);
create index handed_files_by_bench on handed_files (bench_id);
create table handed_pieces (
	file_id uuid not null references handed_files on delete cascade,
	number int not null,
	data bytea not null,
	primary key (file_id, number)
);
alter table handed_pieces alter data set storage external;

---- create above / drop below ----

drop table handed_pieces;
drop table handed_files;
