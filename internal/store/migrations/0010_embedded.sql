-- +goose Up

-- Vectors that a model made of texts, by what was said: the same text is not
-- sent twice, whichever shelf it is on.
create table embedded (
    model  text not null, -- connection/name
    hash   bytea not null, -- SHA-256 of the text
    vector bytea not null, -- float32, little-endian
    primary key (model, hash)
);

-- What the shelf's model has read so far, and what went wrong last.
alter table shelf add embedded_tokens bigint not null default 0;
alter table shelf add embedded_cost double precision not null default 0;
alter table shelf add embedding_problem text not null default '';
-- Somebody has seen what embedding the rest costs, and agreed.
alter table shelf add embedding_agreed boolean not null default false;

-- +goose Down
alter table shelf drop embedded_tokens, drop embedded_cost, drop embedding_problem, drop embedding_agreed;
drop table embedded;
