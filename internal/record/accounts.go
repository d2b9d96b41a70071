package record

import "time"

// Account is somebody who may use the console.
type Account struct {
	ID       int64
	Name     string
	Password string // its hash, as package web writes it
	MadeAt   time.Time
}

// Session is a signed-in browser.
type Session struct {
	ID        int64
	Account   int64
	Name      string // of the account
	Browser   string
	MadeAt    time.Time
	SeenAt    time.Time
	ExpiresAt time.Time
}

// Token is what is known of an API token; the secret itself is not.
type Token struct {
	ID        int64
	Name      string
	Scopes    []string
	MadeAt    time.Time
	UsedAt    *time.Time // to the minute; nil: never
	ExpiresAt *time.Time // nil: never
	Account   *int64     // whose command line it is for; nil: it belongs to no account
}
