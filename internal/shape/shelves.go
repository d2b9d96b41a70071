package shape

import (
	"juvalogos/core/deskfile"
	"juvalogos/core/retrieval"
	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
)

// Shelves and their documents, in the API's shapes.

func Shelf(f record.Shelf) api.Shelf {
	return api.Shelf{
		Shelf: f.Slug, Title: f.Title, State: f.State, MadeBy: f.MadeBy, MadeAt: f.MadeAt, Documents: f.Documents,
		Waiting: f.Unread, Anew: f.Anew, Missed: f.Missed,
		Failed: f.Failed, Passages: f.Passages, Words: f.Words, Tokens: f.Tokens,
	}
}

// ShelfReader is a desk that answers from a shelf.
func ShelfReader(f deskfile.File) api.ShelfReader {
	return api.ShelfReader{Desk: f.Slug, Title: f.Title, PassagesOnly: f.Readable == deskfile.ReadPassages}
}

func Document(d record.Document) api.Document {
	return api.Document{
		ID: d.ID, Name: d.Name, Source: d.Source, Size: d.Size, State: api.DocumentState(d.State),
		Problem: d.Problem.String(), Phrase: d.Problem,
		Title:  d.Title,
		Format: d.Format, Language: d.Language, Pages: d.Pages, Words: d.Words, Share: d.Share(),
		LeftOut: Some(d.LeftOut), Passages: d.Passages, Tokens: d.Tokens,
		Seconds: d.Seconds,
		AddedBy: d.AddedBy, AddedAt: d.AddedAt, ReadAt: d.ReadAt, LookedAt: d.LookedAt,
		LookProblem: d.LookProblem.String(),
	}
}

func Attachment(d record.Document) api.Attachment {
	return api.Attachment{
		ID: d.ID, Name: d.Name, State: api.AttachmentState(d.State), Problem: d.Problem.String(), Phrase: d.Problem,
		Words: d.Words, Share: d.Share(), Pages: d.Pages, Size: d.Size,
	}
}

func Added(a shelf.Added) api.Added {
	return api.Added{Document: a.Document, Name: a.Name, Fresh: a.Fresh, Replaced: a.Replaced,
		Problem: a.Problem.String(), Phrase: a.Problem}
}

func Passage(p record.StoredPassage) api.ShelfPassage {
	return api.ShelfPassage{Number: p.Number, ID: p.ID, Path: Some(p.Path), Text: p.Text, Spans: p.Spans,
		Tokens: p.Size}
}

func Hit(f shelf.Match) api.ShelfHit {
	return api.ShelfHit{
		Document: f.Document.ID, Title: f.Document.Title, Name: f.Document.Name, Passage: f.Position,
		Path: Some(f.Path), Text: f.Text,
		Place: f.Place, Spans: f.Spans, Score: f.Score, Lexical: f.Hit.Lexical, LexicalRank: f.Hit.LexicalRank,
		Cosine:     f.Hit.Cosine,
		VectorRank: f.Hit.VectorRank, Sense: f.Hit.Sense, SenseRank: f.Hit.SenseRank, FusedRank: f.Hit.FusedRank,
		Matched: Some(f.Hit.Matched),
	}
}

func Point(p retrieval.Point) api.MapPoint {
	return api.MapPoint{Document: p.Document, Passage: p.Number, X: p.X, Y: p.Y}
}

func Settings(title string, s shelf.Settings) api.ShelfSettings {
	return api.ShelfSettings{
		Title: title, Tokens: s.Tokens, Overlap: s.Overlap, TitleWeight: s.TitleWeight, Expand: s.Expand,
		VectorWeight: s.VectorWeight,
		Embedding:    s.Embedding, MeaningWeight: s.MeaningWeight, SenseWeight: s.SenseWeight,
		Candidates: s.Candidates, Distinct: s.Distinct,
		Rephrase: s.Rephrase, Choose: s.Choose, K1: s.K1, B: s.B, Least: s.Least,
	}
}

// SettingsFrom goes the other way: what a maker has typed in.
func SettingsFrom(b api.ShelfSettings) shelf.Settings {
	return shelf.Settings{
		Tokens: b.Tokens, Overlap: b.Overlap, TitleWeight: b.TitleWeight, Expand: b.Expand,
		VectorWeight: b.VectorWeight,
		Embedding:    b.Embedding, MeaningWeight: b.MeaningWeight, SenseWeight: b.SenseWeight,
		Candidates: b.Candidates, Distinct: b.Distinct,
		Rephrase: b.Rephrase, Choose: b.Choose, K1: b.K1, B: b.B, Least: b.Least,
	}
}

func Embedding(e shelf.Embedding) api.ShelfEmbedding {
	return api.ShelfEmbedding{
		Model: e.Model, Priced: e.Priced, Passages: e.Passages, Embedded: e.Embedded, Tokens: e.Tokens, Cost: e.Cost,
		SpentTokens: e.SpentTokens, SpentCost: e.SpentCost, Problem: e.Problem,
		Sensed: e.Sensed, ToSense: e.ToSense,
	}
}
