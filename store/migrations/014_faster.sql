-- What the Desk, comparisons and lists in a scope look things up by.
create index claims_of_links on claims (set_at) where field = 'links';
create index packages_of_maker_by_spread on packages (maker_id, builds desc, name);
-- Figures of one place stand together, of everywhere figures_everywhere has them.
create index figures_near on figures (place, package_id, release) include (standing) where method = 'remove-for-user' and place <> '00000000-0000-0000-0000-000000000000';
drop index figures_contested;

---- create above / drop below ----

create index figures_contested on figures (place, package_id) where standing = 'contested';
drop index figures_near, packages_of_maker_by_spread, claims_of_links;
