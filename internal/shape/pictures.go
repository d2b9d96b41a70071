package shape

import (
	"juvalogos/core/deskfile"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/media"
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
func Picture(m record.Media) api.Picture {
	return api.Picture{ID: m.ID.String(), Name: m.Name, Kind: m.Kind, Width: m.Width, Height: m.Height, Size: m.Size,
		Alt: m.Said, Note: m.Note, Asked: m.Asked}
}
