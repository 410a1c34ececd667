-- What holds when many ask at once, and when somebody asks for what there is
-- none of.

-- What a key stands for, so that it does not stand for two things.
alter table answered add content text not null default '';

-- An id in a text from outside, null where it is none.
create function uuid_or_null(text) returns uuid
	language sql immutable parallel safe
	as $$ select case when $1 ~ '^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$' then $1::uuid end $$;

---- create above / drop below ----

drop function uuid_or_null;
alter table answered drop content;
