package shape

import (
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/recipe/draw"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// What makers get of desks, accounts and models, in the API's shapes.

// Desk is a desk with what its file says, which may be a draft's or one that
// an older version accepted. page is the path of the visitor's page.
func Desk(d record.DeskSummary, f deskfile.File, page string) api.Desk {
	return api.Desk{
		Slug: d.Slug, Title: f.Title, Purpose: f.Purpose, Model: f.Model, Page: page,
		Published: d.Published, Newest: d.Newest, ChangedBy: d.ChangedBy, ChangedAt: d.ChangedAt, Draft: d.Draft,
		QuestionsToday: d.QuestionsToday, LastAsked: d.LastAsked, Judged: d.Judged, Helped: d.Helped,
	}
}

func Revision(r record.Revision) api.Revision {
	return api.Revision{Number: r.Number, Note: r.Note, MadeBy: r.MadeBy, MadeAt: r.MadeAt}
}

func ShelfChange(f record.ShelfChange) api.ShelfChange {
	return api.ShelfChange{Shelf: f.Slug, Title: f.Title, Then: f.Then, Now: f.Now, Gone: f.Removed,
		Added: Some(f.Added), Removed: Some(f.Dropped)}
}

func FolderFile(f desk.FolderFile) api.FolderFile {
	return api.FolderFile{Name: f.Name, Slug: f.Slug, Revision: f.Revision, Problems: f.Problems, At: f.At}
}

func Token(t record.Token) api.Token {
	return api.Token{Name: t.Name, Scopes: t.Scopes, MadeAt: t.MadeAt, UsedAt: t.UsedAt, ExpiresAt: t.ExpiresAt}
}

// Browser is a session; here is the one that asks.
func Browser(b record.Session, here int64) api.Browser {
	return api.Browser{ID: b.ID, What: b.Browser, Here: b.ID == here, MadeAt: b.MadeAt, SeenAt: b.SeenAt}
}

func Connection(c models.Connection, fixed bool) api.Connection {
	return api.Connection{
		Name: c.Name, Protocol: c.Protocol, Address: c.Address, Patience: c.Patience.Seconds(),
		Longest: c.Longest.Seconds(), MostText: c.MostText, AtOnce: c.AtOnce,
		RequestsAMinute: c.Requests, TokensAMinute: c.Tokens,
		Headers: c.Headers, Ca: c.CA, Proxy: c.Proxy, Endpoint: c.Endpoint, Program: c.Program,
		Models: All(c.Models, modelSettings), Reference: c.Key, Keyed: c.Typed(), Fixed: fixed,
	}
}

// ConnectionNow is a connection with how it is doing.
func ConnectionNow(c models.Connection, fixed bool, r *models.Registry) api.Connection {
	b := Connection(c, fixed)
	if state, ok := r.Program(c.Name); ok {
		b.State = &state
	}
	if p, ok := r.Learnt(c.Name); ok {
		b.Pace = &api.Pace{Requests: p.Requests, RequestsLeft: p.RequestsLeft, Tokens: p.Tokens,
			TokensLeft: p.TokensLeft}
	}
	return b
}

func modelSettings(m models.Model) api.ModelSettings {
	return api.ModelSettings{
		Name: m.Name, Can: m.Can, Context: m.Context, Vocabulary: m.Vocabulary,
		Price: api.Price{In: m.Price.In, Out: m.Price.Out, Cached: m.Price.Cached, Picture: m.Price.Picture,
			Minute: m.Price.Minute},
		Manners: m.Manners, Takes: m.Takes, Hears: m.Hears, Speaks: m.Speaks,
	}
}

func Model(e models.Entry) api.Model {
	return api.Model{ModelSettings: modelSettings(e.Model), Connection: e.Connection.Name,
		Address: e.Connection.Address}
}

// ConnectionFrom and modelFrom go the other way: what a maker has typed in.
func ConnectionFrom(b api.Connection) models.Connection {
	return models.Connection{
		Name: b.Name, Protocol: b.Protocol, Address: b.Address, Key: b.Reference,
		Patience: time.Duration(b.Patience * float64(time.Second)),
		Longest:  time.Duration(b.Longest * float64(time.Second)), MostText: b.MostText, AtOnce: b.AtOnce,
		Requests: b.RequestsAMinute, Tokens: b.TokensAMinute,
		Headers: b.Headers, CA: b.Ca, Proxy: b.Proxy, Endpoint: b.Endpoint, Program: b.Program,
		Models: Each(b.Models, modelFrom),
	}
}

func modelFrom(m api.ModelSettings) models.Model {
	return models.Model{
		Name: m.Name, Can: m.Can, Context: m.Context, Vocabulary: m.Vocabulary,
		Price: models.Price{In: m.Price.In, Out: m.Price.Out, Cached: m.Price.Cached, Picture: m.Price.Picture,
			Minute: m.Price.Minute},
		Manners: m.Manners, Takes: m.Takes, Hears: m.Hears, Speaks: m.Speaks,
	}
}

func Probe(p models.Probe) api.Probe {
	return api.Probe{
		Model: p.Model, Works: p.Works, FirstTokenMs: p.FirstTokenMS, TokensPerSecond: p.TokensPerSecond,
		Reply:   p.Reply,
		Problem: string(p.Problem), Advice: p.Advice, Thinks: p.Thinks, Found: p.Found, Lines: p.Lines,
		Trials: p.Trials, Exchanges: p.Exchanges, Places: p.Places,
	}
}

func Recipe(r *recipe.Recipe, source string) api.Recipe {
	return api.Recipe{Name: r.Name, About: r.About, Source: source, Drawing: draw.Layout(r)}
}

func Kind(k recipe.StepKind) api.StepKind {
	return api.StepKind{Name: k.Name, About: k.About, In: All(k.In, port), Out: All(k.Out, port),
		More: k.Variadic != nil}
}

func port(p recipe.Port) api.Port {
	return api.Port{Name: p.Name, Type: string(p.Type), Need: p.Need, About: p.About}
}

func Forecast(f desk.Forecast) *api.Forecast {
	return &api.Forecast{
		Calls: f.Calls, PromptTokens: f.PromptTokens, ReplyTokens: f.ReplyTokens, Cost: f.Cost, Open: f.Open,
		Turns: f.Turns, Usual: f.Usual,
	}
}
