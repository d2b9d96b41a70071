-- +goose Up

-- Turns are a tree: editing a question makes a branch beside it. parent is the
-- turn before; number is the depth, from 1. The path that is shown and
-- remembered leads from the root to the conversation's leaf.
alter table turn add parent uuid;
alter table turn add taken_back_at timestamptz;
alter table turn drop constraint turn_conversation_number_key;
create index turn_in_conversation on turn (conversation, number);
alter table conversation add leaf uuid;

update turn t set parent = p.id from turn p where p.conversation = t.conversation and p.number = t.number - 1;
update conversation c set leaf = (select t.id from turn t where t.conversation = c.id order by t.number desc limit 1);

-- What can be searched: words of the question and of the reply that counts,
-- for the first turn those of the conversation's title too. They stand apart
-- so that the turn itself need not be written again.
create table turn_words (
    turn  uuid primary key references turn on delete cascade,
    words tsvector not null
);
create index turn_words_words on turn_words using gin (words);

-- The turns that lead to a turn, itself first, at most so many.
-- +goose StatementBegin
create function path_to(turn uuid, most integer) returns table (id uuid, back integer) language sql stable as $$
    with recursive path (id, parent, back) as (
        select t.id, t.parent, 1 from turn t where t.id = $1
        union all
        select t.id, t.parent, p.back + 1 from path p join turn t on t.id = p.parent where p.back < $2)
    select id, back from path
$$;
-- +goose StatementEnd

-- What the turns up to one said, in short, made by the model. turns is how
-- many they are.
create table summary (
    upto         uuid primary key references turn on delete cascade,
    conversation uuid not null references conversation on delete cascade,
    turns        integer not null,
    text         text not null,
    tokens       integer not null,
    vocabulary   text not null,
    model        text not null,
    made_at      timestamptz not null
);
create index summary_of_conversation on summary (conversation, turns);

-- What the visitor had chosen (see deskfile.Choice).
alter table attempt add choice jsonb;

-- +goose Down
alter table attempt drop choice;
drop table summary;
drop function path_to(uuid, integer);
drop table turn_words;
alter table conversation drop leaf;
alter table turn drop parent, drop taken_back_at;
