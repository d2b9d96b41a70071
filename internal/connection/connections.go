package connection

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"github.com/goccy/go-yaml"

	"juvalogos/core/yamlfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
	"juvalogos/internal/vault"
)

// Connections that makers add while the service runs, beside those of the
// connection file.

// Options are what a Service of connections is made of.
type Options struct {
	Store  *store.Connections
	Models *models.Registry
	Log    *slog.Logger
	// Vault keeps the keys that are typed in; nil refuses them.
	Vault *vault.Vault
	// References are the keys that connections that are added here may name.
	References vault.References
	// Now is the clock; nil means time.Now.
	Now func() time.Time
}

// Service is of connections. It is safe for concurrent use.
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may
// be shown to whoever asked; what stands behind it is in its Cause and the log.
type Service struct {
	Options
	stored connectionsSeen
}

// New returns a service of connections; TakeUp is to be called before the
// first question, and from time to time.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	return &Service{Options: o}
}

// KeepConnection checks a connection and takes it into use. A key that was
// typed in is encrypted; with an empty one a changed connection keeps the key
// it has. The error of mistakes is yamlfile.Problems.
func (s *Service) KeepConnection(ctx context.Context, c models.Connection, key, by string) error {
	file, _ := s.Models.Connections()
	if slices.ContainsFunc(file, func(o models.Connection) bool { return o.Name == c.Name }) {
		return fault.Say(fault.Exists, "The connection file has a connection named %q; change it there, or choose "+
			"another name.", c.Name)
	}
	c, err := checkConnection(c, s.Models.Protocols())
	if err != nil {
		return err
	}
	if err := s.References.Allow(c.Key); err != nil {
		return fault.Say(fault.Invalid, "The key %v, or type the key in.", err)
	}
	if key == "" && s.keptFor(c.Name, c.Address) {
		return fault.Say(fault.Invalid, "The key was typed in for another address. Type it in again, so that it goes "+
			"nowhere that it was not meant for.")
	}
	kept := record.StoredConnection{Name: c.Name, ChangedBy: by, ChangedAt: s.Now()}
	if key != "" {
		if s.Vault == nil {
			return fault.Say(fault.Invalid, "This service keeps no keys: it has no master key. Name the key with "+
				"env:NAME or file:PATH instead.")
		}
		kept.Key = s.Vault.Seal(c.Name, key)
	}
	if kept.Settings, err = json.Marshal(c); err != nil {
		return err
	}
	if err := s.Store.KeepConnection(ctx, kept); err != nil {
		return err
	}
	s.Log.Info("connection changed", "connection", c.Name, "by", by)
	return s.TakeUp(ctx)
}

// keptFor reports whether a connection has a typed key that was given for another
// address.
func (s *Service) keptFor(name, address string) bool {
	_, stored := s.Models.Connections()
	return slices.ContainsFunc(stored, func(o models.Connection) bool {
		return o.Name == name && o.Typed() && o.Address != address
	})
}

// checkConnection holds a connection to the rules of the connection file and
// completes it.
func checkConnection(c models.Connection, protocols map[string]models.Protocol) (models.Connection, error) {
	text, err := yaml.Marshal(models.File{Connections: []models.Connection{c}})
	if err != nil {
		return c, err
	}
	f, err := models.Read("connection", text, protocols)
	var problems yamlfile.Problems
	if errors.As(err, &problems) {
		for i := range problems { // the lines are of a text that nobody wrote
			problems[i].Line, problems[i].Column = 0, 0
		}
		return c, problems
	}
	if err != nil {
		return c, err
	}
	return f.Connections[0], nil
}

// RemoveConnection takes a connection out of use. RestoreConnection brings it
// back with its key for an hour; then both are forgotten.
func (s *Service) RemoveConnection(ctx context.Context, name, by string) error {
	return s.changed(ctx, name, "connection removed", by, s.Store.RemoveConnection(ctx, name, s.Now()))
}

// RestoreConnection brings a removed connection back.
func (s *Service) RestoreConnection(ctx context.Context, name, by string) error {
	return s.changed(ctx, name, "connection brought back", by, s.Store.RestoreConnection(ctx, name))
}

func (s *Service) changed(ctx context.Context, name, what, by string, err error) error {
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NoConnection, "There is no connection %q that was added here.", name)
	}
	if err != nil {
		return err
	}
	s.Log.Info(what, "connection", name, "by", by)
	return s.TakeUp(ctx)
}

// Look asks a model server which models it has. With an empty key a connection
// of that name that is in use lends its own.
func (s *Service) Look(ctx context.Context, c models.Connection, key string) ([]string, error) {
	if len(c.Models) == 0 {
		c.Models = []models.Model{{Name: "any", Context: 1024}} // the rules want one
	}
	c, err := checkConnection(c, s.Models.Protocols())
	if err != nil {
		return nil, err
	}
	if err := s.References.Allow(c.Key); err != nil {
		return nil, fault.Say(fault.Invalid, "The key %v, or type the key in.", err)
	}
	if key != "" {
		c = c.WithKey(models.NewSecret(key), nil)
	} else if c.Key == "" {
		_, stored := s.Models.Connections()
		for _, o := range stored {
			if o.Name == c.Name && o.Address == c.Address {
				c = o
			}
		}
	}
	names, err := s.Models.Look(ctx, c)
	if err != nil {
		return nil, fault.Say(fault.Invalid, "The server does not list its models: %v. You can also write their "+
			"names yourself.", err)
	}
	return names, nil
}

// connectionsSeen is the state of the stored connections that is in use.
type connectionsSeen struct {
	mu    sync.Mutex
	state string
}

// TakeUp takes the stored connections into use if they have changed
// since the last time, here or through another instance.
func (s *Service) TakeUp(ctx context.Context) error {
	list, err := s.Store.StoredConnections(ctx)
	if err != nil {
		return err
	}
	state := ""
	for _, c := range list {
		state += fmt.Sprintf("%s %d;", c.Name, c.ChangedAt.UnixNano())
	}
	s.stored.mu.Lock()
	defer s.stored.mu.Unlock()
	if state == s.stored.state {
		return nil
	}
	var stored []models.Connection
	for _, k := range list {
		var c models.Connection
		if err := json.Unmarshal(k.Settings, &c); err != nil {
			s.Log.Error("a stored connection cannot be read", "connection", k.Name, "error", err)
			continue
		}
		if c, err = checkConnection(c, s.Models.Protocols()); err != nil {
			s.Log.Error("a stored connection is not good any more", "connection", k.Name, "error", err)
			continue
		}
		if k.Key != nil {
			c = c.WithKey(s.unseal(k))
		} else if err := s.References.Allow(c.Key); err != nil {
			c = c.WithKey(models.Secret{}, err)
		}
		stored = append(stored, c)
	}
	s.stored.state = state
	s.Models.ReplaceStored(stored)
	return nil
}

func (s *Service) unseal(k record.StoredConnection) (models.Secret, error) {
	if s.Vault == nil {
		return models.Secret{}, errors.New("the key is encrypted and this service has no master key; start it with " +
			"the master key, or type the key in again")
	}
	text, err := s.Vault.Unseal(k.Name, k.Key)
	if err != nil {
		return models.Secret{}, fmt.Errorf("the stored key cannot be decrypted (%w); start the service with the "+
			"master key that was used then, or type the key in again", err)
	}
	return models.NewSecret(text), nil
}
