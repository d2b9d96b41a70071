package web

import (
	"bytes"
	"fmt"
	"strconv"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"
	"github.com/xuri/excelize/v2"

	"juvalogos/core/tables"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
	"juvalogos/internal/table"
)

// What visitors do with tables.

// sheets are the handlers of tables.
type sheets struct {
	*door
	Desks  *desk.Service
	Tables *table.Service
}

func (s *sheets) routes(api fiber.Router) {
	api.Get("/at/:slug/tables", s.list)
	api.Put("/at/:slug/tables/:document", s.putRight)
	api.Get("/turns/:id/table", s.rows)
	api.Get("/turns/:id/table/:format", s.file)
	api.Get("/turns/:id/behind/:row", s.behind)
	api.Get("/shelves/:shelf/tables", s.allowed(account.Read, s.onShelf))
	api.Put("/shelves/:shelf/tables/:document", s.allowed(account.Publish, s.putRightOnShelf))
}

func (s *sheets) list(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	d, err := s.deskAsked(c)
	if err != nil {
		return err
	}
	all, err := s.Tables.Visible(c, d.Settings.Shelves, conversation, who)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.TableList{Documents: shape.All(all, shape.Tabled), Openers: table.Openers(all)})
}

func (s *sheets) deskAsked(c fiber.Ctx) (*desk.Desk, error) {
	slug, err := s.slugAsked(c)
	if err != nil {
		return nil, err
	}
	return s.Desks.Open(c, slug)
}

// onShelf lists the tables of a shelf, for makers.
func (s *sheets) onShelf(c fiber.Ctx) error {
	all, err := s.Tables.OnShelf(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.TableList{Documents: shape.All(all, shape.Tabled), Openers: table.Openers(all)})
}

func (s *sheets) putRightOnShelf(c fiber.Ctx) error {
	document, g, err := givenIn(c)
	if err != nil {
		return err
	}
	shown, err := s.Tables.PutRightOnShelf(c, c.Params("shelf"), document, g)
	if err != nil {
		return err
	}
	return c.JSON(shape.Tabled(shown))
}

// givenIn is the document of an address, and what the body says of a column of it.
func givenIn(c fiber.Ctx) (document int64, given record.GivenKind, err error) {
	if document, err = strconv.ParseInt(c.Params("document"), 10, 64); err != nil {
		return 0, given, fault.Say(fault.NotHere, "This document is not here. It may belong to another browser.")
	}
	var g api.ColumnGiven
	if err := readJSON(c, &g); err != nil {
		return 0, given, err
	}
	kind := tables.Kind(g.Kind)
	if kind != "" && !kind.Known() {
		return 0, given, fault.Say(fault.Invalid, "A column cannot be of the kind %q.", g.Kind)
	}
	return document, record.GivenKind{Table: g.Table, Column: g.Column, Kind: kind, Format: g.Format}, nil
}

func (s *sheets) putRight(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	if _, err := s.slugAsked(c); err != nil {
		return err
	}
	document, g, err := givenIn(c)
	if err != nil {
		return err
	}
	shown, err := s.Tables.PutRightOwn(c, conversation, who, document, g)
	if err != nil {
		return err
	}
	return c.JSON(shape.Tabled(shown))
}

// Bounds of rows that are handed over.
const (
	usualRows = 200
	mostRows  = 1000
	// mostSaved is how many rows a file has.
	mostSaved = 100_000
)

func (s *sheets) asked(c fiber.Ctx) (record.Visitor, uuid.UUID, error) {
	return s.idAsked(c, fault.NoTurn)
}

// pageAsked is which rows are asked for.
func pageAsked(c fiber.Ctx) (from int64, most int, err error) {
	from, err1 := strconv.ParseInt(c.Query("from", "0"), 10, 64)
	most, err2 := strconv.Atoi(c.Query("most", strconv.Itoa(usualRows)))
	if err1 != nil || err2 != nil || from < 0 || most < 1 || most > mostRows {
		err = fault.Say(fault.Invalid, "from has to be 0 or more, and most from 1 to %d.", mostRows)
	}
	return from, most, err
}

func (s *sheets) behind(c fiber.Ctx) error {
	who, id, err := s.asked(c)
	if err != nil {
		return err
	}
	from, most, err := pageAsked(c)
	if err != nil {
		return err
	}
	row, err1 := strconv.Atoi(c.Params("row"))
	column, err2 := strconv.Atoi(c.Query("column", "0"))
	if err1 != nil || err2 != nil || row < 0 || column < 0 {
		return fault.Say(fault.NotHere, "The table has no such row.")
	}
	r, err := s.Tables.Behind(c, who, id, row, column, from, most)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(r)
}

func (s *sheets) rows(c fiber.Ctx) error {
	who, id, err := s.asked(c)
	if err != nil {
		return err
	}
	from, most, err := pageAsked(c)
	if err != nil {
		return err
	}
	r, err := s.Tables.Rows(c, who, id, from, most)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(r)
}

// mediaTypes are those of the files that tables are saved as.
var mediaTypes = map[string]string{"csv": "text/csv; charset=utf-8", "json": fiber.MIMEApplicationJSONCharsetUTF8,
	"md": "text/markdown; charset=utf-8", "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}

func (s *sheets) file(c fiber.Ctx) error {
	who, id, err := s.asked(c)
	if err != nil {
		return err
	}
	format := c.Params("format")
	kind := mediaTypes[format]
	if kind == "" {
		return fault.Say(fault.NotHere, "A table can be saved as csv, xlsx, json or md.")
	}
	r, err := s.Tables.Rows(c, who, id, 0, mostSaved)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	switch format {
	case "csv":
		err = r.WriteCSV(&b)
	case "json":
		err = r.WriteJSON(&b)
	case "md":
		b.WriteString(r.Markdown(mostSaved))
	case "xlsx":
		err = writeWorkbook(&b, r)
	}
	if err != nil {
		return fmt.Errorf("write the table as %s: %w", format, err)
	}
	c.Set("Content-Type", kind)
	c.Set("Content-Disposition", "attachment; filename=\"table."+format+"\"")
	c.Set("Cache-Control", "no-store")
	return c.Send(b.Bytes())
}

// writeWorkbook writes a result as XLSX, its numbers as numbers.
func writeWorkbook(b *bytes.Buffer, r *tables.Result) error {
	f := excelize.NewFile()
	defer f.Close()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	heads := make([]any, len(r.Columns))
	for i, c := range r.Columns {
		heads[i] = c.Title
	}
	if err := w.SetRow("A1", heads); err != nil {
		return err
	}
	for i, row := range r.Rows {
		cells := make([]any, len(row))
		for j, cell := range row {
			cells[j] = cell
			if r.Columns[j].Kind.Number() {
				if v, err := strconv.ParseFloat(cell, 64); err == nil {
					cells[j] = v
				}
			}
		}
		if err := w.SetRow("A"+strconv.Itoa(i+2), cells); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return f.Write(b)
}
