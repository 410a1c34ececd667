-- What holds when many ask at once, and when somebody asks for what there is
-- none of.

-- What a key stands for, so that it does not stand for two things.
alter table answered add content text not null default '';

-- An id in a text from outside, null where it is none.
create function uuid_or_null(text) returns uuid
	language sql immutable parallel safe
	as $$ select case when $1 ~ '^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$' then $1::uuid end $$;

-- Who has held which role on some phone, of all captures.
create table role_holders (
	role text not null,
	package_id uuid not null references packages,
	primary key (role, package_id)
);
insert into role_holders
	select distinct r ->> 'name', p.id
	from captures k, jsonb_array_elements(coalesce(k.phone_facts -> 'roles', '[]')) r, jsonb_array_elements_text(coalesce(r -> 'holders', '[]')) h
	join packages p on p.name = h;

---- create above / drop below ----

drop table role_holders;
drop function uuid_or_null;
alter table answered drop content;
