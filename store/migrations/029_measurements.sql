-- What phones used before and after runs, as they were measured: one for each step
-- of a run that measures.
create table run_measurements (
	run_id uuid not null references runs,
	number int not null,
	-- core/android.Measurement
	measured jsonb not null,
	at timestamptz not null default now(),
	primary key (run_id, number)
);
