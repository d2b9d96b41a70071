-- +goose Up

-- Asked by the service itself, for replies that a desk keeps current.
alter table conversation drop constraint conversation_channel_check;
alter table conversation add check (channel in ('page', 'preview', 'api', 'completions', 'run', 'standing'));

-- Replies that desks keep current: the newest that is done, and what it was made of.
create table standing (
    desk         bigint not null references desk on delete cascade,
    title        text not null,    -- as the desk file has it
    asked        text not null default '', -- a hash of what the desk file has asked
    runner       integer,          -- the instance that looks or makes it; null: none does
    looked_at    timestamptz,      -- when it was looked last whether something has changed
    made_at      timestamptz,      -- when the reply was made; null: it never was
    problem      jsonb not null default '{}', -- why the last time brought nothing; '{}': it did
    content      text not null default '',    -- a fingerprint of what it was made of
    documents    jsonb not null default '[]', -- title and hash of each
    sections     jsonb not null default '[]', -- hashes of its sections in short
    news         jsonb not null default '{}', -- what is new beside the one before
    conversation uuid,
    turn         uuid,
    share        text,             -- what its link ends with; it stays
    primary key (desk, title)
);
create index standing_share on standing (share) where share is not null;

-- +goose Down
drop table standing;
delete from conversation where channel = 'standing';
alter table conversation drop constraint conversation_channel_check;
alter table conversation add check (channel in ('page', 'preview', 'api', 'completions', 'run'));
