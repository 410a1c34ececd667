-- Whether a package has an icon on the home screen or in the list of apps: what
-- owners see. Null where no capture told; of several that told, one with an icon
-- counts, because a phone shows none of what its owner switched off.
alter table presence add icon boolean;
alter table shipped_by add icon boolean;
alter table packages add icon boolean;

-- Whether its owner could switch it off by hand, in the phone's own settings.
alter table trials add by_hand text not null default '' check (by_hand in ('', 'done', 'not-offered'));

---- create above / drop below ----

alter table trials drop by_hand;
alter table packages drop icon;
alter table shipped_by drop icon;
alter table presence drop icon;
