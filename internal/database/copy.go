package database

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"

	"juvalogos/core/tables"
	"juvalogos/internal/vault"
)

// Bounds of what a copy may take of the database.
const (
	connectLimit = 10 * time.Second
	copyLimit    = 10 * time.Minute
)

// Copy is a table that is being copied: as CSV in UTF-8, with a head, its rows in the order
// in which the database has them. Whoever reads it closes it.
type Copy struct {
	io.ReadCloser
	Columns []Column
}

// Column is a column of it.
type Column struct {
	Name string
	// Kind is what the database has it as, and Format how it is written, as in tables.Guess.
	Kind   tables.Kind
	Format string
}

// Copy begins to copy a table. Errors are sentences for whoever asked, and hold no secret;
// what goes wrong later is the reader's error.
func (d Database) Copy(ctx context.Context, table string) (*Copy, error) {
	if !slices.Contains(d.Tables, table) {
		return nil, fmt.Errorf("the database %s has no table %q that shelves may have; there are: %s", d.Name, table,
			strings.Join(d.Tables, ", "))
	}
	password, err := vault.Read(d.Password)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, copyLimit)
	conn, err := d.connect(ctx, password)
	if err != nil {
		cancel()
		return nil, err
	}
	leave := func() {
		closing, done := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
		defer done()
		_ = conn.Close(closing)
		cancel()
	}
	columns, query, err := d.selecting(ctx, conn, table)
	if err != nil {
		leave()
		return nil, errors.New(vault.Hide(err.Error(), password))
	}
	from, to := io.Pipe()
	go func() {
		defer leave()
		_, err := conn.PgConn().CopyTo(ctx, to, "COPY ("+query+") TO STDOUT (FORMAT csv, HEADER true, ENCODING 'UTF8')")
		if err != nil {
			err = fmt.Errorf("copy %s from the database %s: %s", table, d.Name, vault.Hide(said(err), password))
		}
		to.CloseWithError(err) // nil: the end
	}()
	return &Copy{from, columns}, nil
}

// connect opens a connection in a transaction that only reads.
func (d Database) connect(ctx context.Context, password string) (*pgx.Conn, error) {
	config, err := pgx.ParseConfig(d.Address)
	if err != nil {
		return nil, fmt.Errorf("the address of the database %s makes no sense", d.Name)
	}
	config.Password, config.ConnectTimeout = password, connectLimit
	config.RuntimeParams["application_name"] = "juvalogos"
	config.RuntimeParams["default_transaction_read_only"] = "on"
	config.RuntimeParams["statement_timeout"] = fmt.Sprint(copyLimit.Milliseconds())
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("the database %s cannot be reached: %s", d.Name, vault.Hide(said(err), password))
	}
	if _, err = conn.Exec(ctx, "BEGIN TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY"); err != nil {
		_ = conn.Close(ctx)
		return nil, fmt.Errorf("the database %s: %s", d.Name, vault.Hide(said(err), password))
	}
	return conn, nil
}

// selecting is the query that reads a table, with its columns.
func (d Database) selecting(ctx context.Context, conn *pgx.Conn, table string) ([]Column, string, error) {
	from := pgx.Identifier(strings.Split(table, ".")).Sanitize()
	described, err := conn.Prepare(ctx, "", "SELECT * FROM "+from)
	if err != nil {
		return nil, "", fmt.Errorf("the table %s of the database %s cannot be read: %s", table, d.Name, said(err))
	}
	var columns []Column
	var chosen []string
	for _, f := range described.Fields {
		name := pgx.Identifier{f.Name}.Sanitize()
		c := Column{Name: f.Name, Kind: tables.Text}
		expression := name + "::text"
		switch f.DataTypeOID {
		case pgtype.Int2OID, pgtype.Int4OID, pgtype.Int8OID:
			c.Kind = tables.Whole
		case pgtype.Float4OID, pgtype.Float8OID, pgtype.NumericOID:
			c.Kind, c.Format = tables.Decimal, "."
		case moneyOID:
			c.Kind, c.Format, expression = tables.Decimal, ".", name+"::numeric::text"
		case pgtype.DateOID:
			c.Kind, c.Format, expression = tables.Date, tables.ISODay, "to_char("+name+", 'YYYY-MM-DD')"
		case pgtype.TimestampOID:
			c.Kind, c.Format, expression = tables.Moment, "iso", "to_char("+name+", 'YYYY-MM-DD HH24:MI:SS.US')"
		case pgtype.TimestamptzOID:
			c.Kind, c.Format = tables.Moment, "iso"
			expression = "to_char(" + name + " AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS.US')"
		case pgtype.BoolOID:
			c.Kind, c.Format = tables.YesNo, "yes/no"
			expression = "CASE WHEN " + name + " THEN 'yes' WHEN NOT " + name + " THEN 'no' END"
		case pgtype.ByteaOID:
			expression = "octet_length(" + name + ")::text || ' bytes'"
		}
		columns = append(columns, c)
		chosen = append(chosen, expression+" AS "+name)
	}
	if columns == nil {
		return nil, "", fmt.Errorf("the table %s of the database %s has no columns", table, d.Name)
	}
	return columns, "SELECT " + strings.Join(chosen, ", ") + " FROM " + from, nil
}

// moneyOID is PostgreSQL's type for amounts.
const moneyOID = 790

// said is an error of the database in its own words, without where it is.
func said(err error) string {
	var p *pgconn.PgError
	if errors.As(err, &p) {
		return p.Message
	}
	var c *pgconn.ConnectError
	if errors.As(err, &c) && c.Unwrap() != nil {
		return c.Unwrap().Error()
	}
	return err.Error()
}
