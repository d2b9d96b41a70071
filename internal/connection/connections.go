package connection

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
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
	// File is the connection file, to which may be added what probes find out; "":
	// there is none.
	File string
	// Programs is the folder of the programs that connections that are added here
	// may run; "": none.
	Programs string
	// Naming lists the published desks that name a model without its connection;
	// nil: nobody knows.
	Naming func(ctx context.Context, model string) ([]string, error)
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
	if err := s.free(c.Name); err != nil {
		return err
	}
	c, err := s.allowed(c)
	if err != nil {
		return err
	}
	if err := s.ambiguous(ctx, c); err != nil {
		return err
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
	c, err := s.withKey(c, key)
	if err != nil {
		return nil, err
	}
	names, err := s.Models.Look(ctx, c)
	if err != nil {
		return nil, fault.Say(fault.Invalid, "The server does not list its models: %v. You can also write their "+
			"names yourself.", err)
	}
	return names, nil
}

// free reports whether a name is not the connection file's.
func (s *Service) free(name string) error {
	file, _ := s.Models.Connections()
	if slices.ContainsFunc(file, func(o models.Connection) bool { return o.Name == name }) {
		return fault.Say(fault.Exists, "The connection file has a connection named %q; change it there, or choose "+
			"another name.", name)
	}
	return nil
}

// ambiguous refuses a connection with a model of a name that another's has, if desks
// name that one by it: they would not be set up any more.
func (s *Service) ambiguous(ctx context.Context, c models.Connection) error {
	if s.Naming == nil {
		return nil
	}
	for _, m := range c.Models {
		others := 0
		own := false
		for _, e := range s.Models.All() {
			if e.Name == m.Name && e.Connection.Name != c.Name {
				others++
			}
			own = own || e.Name == m.Name && e.Connection.Name == c.Name
		}
		if others != 1 || own {
			continue
		}
		slugs, err := s.Naming(ctx, m.Name)
		if err != nil {
			return err
		}
		if len(slugs) > 0 {
			return fault.Say(fault.Exists,
				"There is a model %q already, and the desk %s names it so. Write it with its "+
					"connection there, like CONNECTION/%s, or call this one otherwise.", m.Name, slugs[0], m.Name)
		}
	}
	return nil
}

// allowed holds a connection to the rules, and to what those may who add connections
// while the service runs: they name no key, no file and no program that whoever runs
// the service has not allowed.
func (s *Service) allowed(c models.Connection) (models.Connection, error) {
	c, err := checkConnection(c, s.Models.Protocols())
	if err != nil {
		return c, err
	}
	if err := s.References.Allow(c.Key); err != nil {
		return c, fault.Say(fault.Invalid, "The key %v, or type the key in.", err)
	}
	if c.CA != "" {
		if err := s.References.Allow("file:" + c.CA); err != nil {
			return c, fault.Say(fault.Invalid, "The file with certificates %v.", err)
		}
	}
	if c.Program != nil {
		return c, s.mayRun(c.Program)
	}
	return c, nil
}

// mayRun reports whether a program is one of those that may be run.
func (s *Service) mayRun(p *models.Program) error {
	if s.Programs == "" {
		return fault.Say(fault.Invalid, "This service runs no programs that are added here. Start it with -programs "+
			"FOLDER, the folder that they are in, or write the program into the connection file.")
	}
	folder, err := filepath.Abs(s.Programs)
	if err != nil {
		return err
	}
	path := p.Run[0]
	if !filepath.IsAbs(path) {
		path = filepath.Join(folder, path)
	}
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return fault.Say(fault.Invalid, "There is no program %s on the machine that the service runs on.", path)
	}
	folder, err = filepath.EvalSymlinks(folder)
	if err != nil || !strings.HasPrefix(real, folder+string(filepath.Separator)) {
		return fault.Say(fault.Invalid,
			"The program %s is not in the folder of programs that this service may run, %s.",
			path, folder)
	}
	if info, err := os.Stat(real); err != nil || !info.Mode().IsRegular() || info.Mode()&0o111 == 0 {
		return fault.Say(fault.Invalid, "%s is no program that can be run; make it one with chmod +x.", path)
	}
	p.Run = append([]string{real}, p.Run[1:]...)
	return nil
}

// withKey is a connection that is not in use yet with its key: the one given, or that
// of a connection of its name at the same address.
func (s *Service) withKey(c models.Connection, key string) (models.Connection, error) {
	c, err := s.allowed(c)
	if err != nil {
		return c, err
	}
	if key != "" {
		return c.WithKey(models.NewSecret(key), nil), nil
	}
	if c.Key != "" {
		return c, nil
	}
	_, stored := s.Models.Connections()
	for _, o := range stored {
		if o.Name == c.Name && o.Address == c.Address {
			c = c.KeyOf(o)
		}
	}
	return c, nil
}

// Try asks the first model of a connection that is not in use yet, with a key as Look
// has it.
func (s *Service) Try(ctx context.Context, c models.Connection, key string) (models.Probe, error) {
	if err := s.free(c.Name); err != nil {
		return models.Probe{}, err
	}
	c, err := s.withKey(c, key)
	if err != nil {
		return models.Probe{}, err
	}
	return s.Models.TryOut(ctx, c), nil
}

// KeepManners keeps how a server wants to be asked for a model: with the connection,
// or in the connection file.
func (s *Service) KeepManners(ctx context.Context, name, model string, m models.Manners, by string) error {
	file, stored := s.Models.Connections()
	of := func(c models.Connection) bool { return c.Name == name }
	if i := slices.IndexFunc(file, of); i >= 0 {
		return s.writeManners(name, model, m, by)
	}
	i := slices.IndexFunc(stored, of)
	if i < 0 {
		return fault.Say(fault.NoConnection, "There is no connection %q.", name)
	}
	c := stored[i]
	c.Models = slices.Clone(c.Models)
	j := slices.IndexFunc(c.Models, func(o models.Model) bool { return o.Name == model })
	if j < 0 {
		return fault.Say(fault.NoConnection, "The connection %q has no model %q.", name, model)
	}
	c.Models[j].Manners = &m
	return s.KeepConnection(ctx, c, "", by)
}

func (s *Service) writeManners(name, model string, m models.Manners, by string) error {
	if s.File == "" {
		return fault.Say(fault.Invalid,
			"The connection file is not this service's to change; write the lines yourself.")
	}
	src, err := os.ReadFile(s.File)
	if err != nil {
		return fault.Say(fault.Invalid, "The connection file cannot be read: %v.", err)
	}
	text, err := models.WriteManners(src, name, model, m, s.Models.Protocols())
	if err != nil {
		return fault.Say(fault.Invalid, "The connection file was not changed: %v.", err)
	}
	if err := models.ReplaceFile(s.File, text); err != nil {
		return fault.Say(fault.Invalid, "The connection file cannot be written: %v. Write the lines yourself.", err)
	}
	s.Log.Info("connection file changed", "connection", name, "model", model, "by", by)
	if f, err := models.Read(s.File, text, s.Models.Protocols()); err == nil {
		s.Models.Replace(f)
	}
	return nil
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
		} else if _, err := s.allowed(c); err != nil {
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
