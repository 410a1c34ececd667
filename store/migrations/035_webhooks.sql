-- Receivers that are told what the public feed tells.
create table webhooks (
	id uuid primary key,
	url text not null,
	-- the secret that signs, sealed by the installation's
	sealed bytea not null,
	created_by uuid not null references people,
	created_at timestamptz not null default now(),
	ended_at timestamptz
);
-- What was told to a receiver, or has yet to be: each thing once.
create table webhook_deliveries (
	id uuid primary key,
	webhook_id uuid not null references webhooks,
	-- of the thing that is told, as the feed has it
	item text not null,
	type text not null,
	-- as it is sent, byte for byte: it is signed
	body json not null,
	created_at timestamptz not null default now(),
	attempts int not null default 0,
	-- when it is tried next; null where it was taken, or given up
	next_at timestamptz default now(),
	taken_at timestamptz,
	-- what the receiver said last
	answer text not null default '',
	unique (webhook_id, item)
);
create index webhook_deliveries_due on webhook_deliveries (next_at) where next_at is not null;
create index webhook_deliveries_latest on webhook_deliveries (webhook_id, created_at desc);
