package record

import (
	"encoding/json"
	"time"
)

// StoredConnection is a connection that was made in the console.
type StoredConnection struct {
	Name      string
	Settings  json.RawMessage
	Key       []byte // encrypted; nil: none
	ChangedBy string
	ChangedAt time.Time
}
