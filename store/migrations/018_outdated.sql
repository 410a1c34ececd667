-- A publication whose rules somebody changed is not one that its author took back.
alter table publications
	drop constraint publications_state_check,
	add constraint publications_state_check check (state in ('open', 'published', 'returned', 'taken-back', 'outdated'));
update publications
set state = 'outdated', answer = ''
where state = 'taken-back' and answer = 'The rules were changed since.';

---- create above / drop below ----

update publications
set state = 'taken-back', answer = 'The rules were changed since.'
where state = 'outdated';
alter table publications
	drop constraint publications_state_check,
	add constraint publications_state_check check (state in ('open', 'published', 'returned', 'taken-back'));
