-- +goose Up

-- What was found out of the tables that a document holds, under the name of the file
-- into which the engine wrote them: that file can be made again from the document at
-- any time. Where there are none, why.
create table document_table (
    document bigint primary key references document (id) on delete cascade,
    key      text not null default '', -- "": there are none
    tables   jsonb not null default '[]',
    given    jsonb not null default '[]', -- kinds of columns that somebody put right
    problem  jsonb not null default '{}',
    taken_at timestamptz not null
);
create index document_table_key on document_table (key);

-- +goose Down
drop table document_table;
