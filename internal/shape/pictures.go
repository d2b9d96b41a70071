package shape

import (
	"encoding/json"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/media"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// Pictures of conversations, in the API's shapes.

// Looking is what visitors of a desk may do with pictures; elsewhere is the title of
// the desk that is named for those who bring one where it may not.
func Looking(f deskfile.File) api.Looking {
	p := f.Pictures
	if !p.Take {
		return api.Looking{}
	}
	var openers []int
	for i := range f.Openers {
		if _, _, ok := desk.OpenerPicture(f, i+1); ok {
			openers = append(openers, i+1)
		}
	}
	return api.Looking{Take: true, Most: p.Most, Turns: p.Turns, Hours: p.Hours,
		ByModel:   p.Described == deskfile.ByModel,
		MostBytes: media.MostBytes, Openers: openers}
}

// Picture is a picture of a conversation.
func Picture(m record.Media) api.Picture { return picture(m, false) }

// MakersPicture is a picture with what only makers may know.
func MakersPicture(m record.Media) api.Picture { return picture(m, true) }

func picture(m record.Media, maker bool) api.Picture {
	p := api.Picture{ID: m.ID.String(), Name: m.Name, Kind: m.Kind, Width: m.Width, Height: m.Height, Size: m.Size,
		Alt: m.Said, Note: m.Note, Asked: m.Asked, At: m.AddedAt, Conversation: m.Conversation.String()}
	if m.Turn != nil {
		p.Turn = m.Turn.String()
	}
	var made record.Made
	if m.Made == nil || json.Unmarshal(m.Made, &made) != nil {
		return p
	}
	p.Made = &api.PictureMade{Words: made.Words, Width: made.Width, Height: made.Height, Seed: made.Seed,
		Seconds: made.Seconds, Of: made.Of}
	if maker {
		p.Made.Model, p.Made.Cost = made.Model, made.Cost
	}
	return p
}

// Depicting is what a desk makes of words or of a picture; nil if it makes none. Its price
// is the model's.
func Depicting(r *recipe.Recipe, settings recipe.Values, takes models.Takes, price float64) *api.Depicting {
	is, from := steps.Draws(r)
	if !is {
		return nil
	}
	d := &api.Depicting{From: api.DepictingFrom("words"), Most: 4, Price: price, Seeds: takes.Seeds,
		Onward: []api.OtherDesk{}}
	if from {
		d.From, d.Square = "picture", api.DepictingSquare(takes.Shape)
	}
	if n, ok := settings["most"].(float64); ok && n >= 1 {
		d.Most = min(int(n), steps.MostPictures)
	}
	return d
}
