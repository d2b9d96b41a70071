package service

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"juvalogos/core/reading"
	"juvalogos/internal/account"
	"juvalogos/internal/client"
	"juvalogos/internal/database"
	"juvalogos/internal/desk"
	"juvalogos/internal/engine"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/otlp"
	"juvalogos/internal/outside"
	"juvalogos/internal/reach"
	"juvalogos/internal/readers"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/shelf"
	"juvalogos/internal/source"
	"juvalogos/internal/store"
	"juvalogos/internal/store/private"
	"juvalogos/internal/table"
	"juvalogos/internal/vault"
	"juvalogos/internal/web"
)

// startLimit bounds a start; a database that recovers from a crash may take
// its time.
const startLimit = 5 * time.Minute

// Started tells what a service that has started is reached by.
type Started struct {
	Address string // of the service, with its base path
	Config  string // the client's config file that was written
	// FirstLink makes the owner's account; empty if there is one already.
	FirstLink string
	// Models is how many models there are.
	Models int
}

// Told is what Run tells whoever started it.
type Told struct {
	Started func(Started)
	// Folder hears of every desk file of the watched folder that is taken up.
	Folder func(desk.FolderFile)
}

// fetchLimit is how long an address that a maker adds may take.
const fetchLimit = 30 * time.Second

// open makes the data folder and listens.
func (o Settings) open() (net.Listener, error) {
	if err := os.MkdirAll(o.Data, 0o755); err != nil {
		return nil, fmt.Errorf("the data folder cannot be made: %w; choose another with -data", err)
	}
	return listen(o.Listen)
}

// closeSoon closes a library, and waits for what it does for a while.
func closeSoon(library *shelf.Library) {
	ending, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	library.Close(ending)
}

// openTables keeps what documents hold as tables in the data folder.
func openTables(o Settings, st *store.Store, log *slog.Logger) (*table.Service, error) {
	return table.New(table.Options{Store: st.Tables, Turns: st.Conversations, Files: st.Shelves, Engine: engine.New(),
		Folder: filepath.Join(o.Data, "tables"), Log: log})
}

// Run runs a service until ctx ends, and then lets replies finish, for the
// settings' grace at most. The error says what to do; nil after a stop that was
// asked for.
func Run(ctx context.Context, o Settings, console fs.FS, version string, log *slog.Logger, told Told) error {
	paceCollector(ctx)
	registry, err := openModels(o.Connections)
	if err != nil {
		return err
	}
	defer registry.Close()
	if _, err := database.ReadFile(o.Tables); err != nil {
		return err
	}
	listener, err := o.open()
	if err != nil {
		return err
	}
	defer listener.Close()

	starting, cancel := context.WithTimeout(ctx, startLimit)
	defer cancel()
	st, stopDatabase, err := openStore(starting, o, log)
	if err != nil {
		return err
	}
	defer stopDatabase()
	keys, err := vault.Open(os.Getenv("JUVALOGOS_MASTER"), masterKeyFile(o))
	if err != nil {
		return err
	}
	reader := readers.New(o.Data)
	defer reader.Close()
	instance := reply.RandomInstance()
	sheets, err := openTables(o, st, log)
	if err != nil {
		return err
	}
	defer sheets.Close()
	library, err := shelf.Open(starting, shelf.Options{Store: st, Log: log, Instance: instance, Reader: reader,
		Tables: sheets, Databases: o.Tables, Models: registry, Sources: o.sources(), NoSentences: !o.Sentences})
	if err != nil {
		return err
	}
	defer closeSoon(library)
	allowed, proxies, err := o.guards()
	if err != nil {
		return err
	}
	options := o.rooms()
	options.Store, options.Models, options.Log, options.Vault, options.Shelf = st, registry, log, keys, library
	options.Reader, options.Instance, options.Limits, options.Tables = reader, instance, allowed, sheets
	stopSending, err := reachOut(&options, o, log)
	if err != nil {
		return err
	}
	defer stopSending()
	watcher, stopWatching, err := o.watch(ctx, st, log)
	if err != nil {
		return err
	}
	defer stopWatching()
	rooms, err := OpenRooms(starting, options)
	if err != nil {
		return err
	}
	server, err := web.New(web.Options{Rooms: rooms.Rooms, Ready: st.Ready, Notices: watcher.Now, Log: log,
		Console:  console,
		BasePath: o.BasePath, Version: version, Currency: o.Currency, Proxies: proxies, Limits: allowed,
		CookieKey: keys.Derive("visitors' cookies")})
	if err == nil {
		news := Started{Address: "http://" + listener.Addr().String() + o.BasePath, Models: len(registry.All())}
		news.Config, err = introduce(starting, st, o.Data, news.Address)
		if err == nil {
			news.FirstLink, err = firstLink(starting, st, news.Address)
		}
		if err == nil {
			err = serve(ctx, o, rooms, server, listener, registry, log, told, news)
		}
	}
	end(rooms, server, o.Grace)
	return err
}

// end lets replies finish for so long, and then cuts off who still listens.
func end(rooms *Rooms, server *web.Server, grace time.Duration) {
	ending, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	rooms.Close(ending)
	if server != nil {
		ending, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		defer cancel()
		_ = server.Shutdown(ending)
	}
}

// sources is where a maker may have a shelf filled from.
func (o Settings) sources() *source.Sources {
	return source.New(reach.New(reach.Public{Private: o.FetchPrivate}, int64(reading.DefaultLimits.Bytes), fetchLimit))
}

// rooms is what the settings say of the rooms.
func (o Settings) rooms() RoomOptions {
	return RoomOptions{References: o.references(), ConnectionFile: o.Connections, ProgramFolder: o.Programs,
		Currency: o.Currency}
}

// openStore opens the database that is set, or else starts a private one.
func openStore(ctx context.Context, o Settings, log *slog.Logger) (st *store.Store, stop func(), err error) {
	database, stopServer := o.Database, func() {}
	if database == "" {
		server, err := private.Start(ctx, filepath.Join(o.Data, "postgres"), log)
		if err != nil {
			return nil, nil, err
		}
		database, stopServer = server.URL(), server.Stop
	}
	st, err = store.Open(ctx, database)
	if err != nil {
		stopServer()
		return nil, nil, err
	}
	return st, func() {
		st.Close()
		stopServer()
	}, nil
}

// visitLimit is how long an address that a visitor brings may take, and mostVisited
// how many bytes it may have.
const (
	visitLimit  = 30 * time.Second
	mostVisited = 25 << 20
)

// visits is where visitors may have something brought from; nil: nowhere.
func visits(o Settings) (*source.Sources, error) {
	hosts, err := reach.NewListed(listOf(o.Visit))
	if err != nil || len(hosts) == 0 {
		return nil, err
	}
	return source.ForGuests(reach.NewGuest(reach.New(hosts, mostVisited, visitLimit), nil)), nil
}

// reachOut gives desks what the owner allows of the world outside. stop sends
// the last traces.
func reachOut(options *RoomOptions, o Settings, log *slog.Logger) (stop func(), err error) {
	if o.Programs != "" {
		programs, err := outside.NewPrograms(o.Programs)
		if err != nil {
			return nil, err
		}
		options.Reach.Programs = programs
	}
	if o.Reach != "" {
		options.Reach.Web = outside.NewWeb(listOf(o.Reach), o.references())
	}
	if options.Visits, err = visits(o); err != nil {
		return nil, err
	}
	if o.OTLP == "" {
		return func() {}, nil
	}
	collector, err := otlp.NewCollector(o.OTLP, log)
	if err != nil {
		return nil, err
	}
	options.Traces = collector
	sending, end := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { collector.Run(sending); close(ended) }()
	return func() { end(); <-ended }, nil
}

// serve answers until ctx ends.
func serve(ctx context.Context, o Settings, rooms *Rooms, server *web.Server, l net.Listener, registry *models.Registry,
	log *slog.Logger, told Told, news Started) error {
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	watching, stop := context.WithCancel(ctx)
	defer stop()
	registry.Warm()
	if o.Connections != "" {
		go watchConnections(watching, o.Connections, registry, log)
	}
	folder := make(chan error, 1)
	if o.Desks != "" {
		go func() { folder <- rooms.Desks.WatchFolder(watching, o.Desks, told.Folder) }()
	}
	log.Info("juvalogos answers", "address", l.Addr().String(), "base_path", o.BasePath)
	told.Started(news)
	select {
	case err := <-failed:
		return fmt.Errorf("serve: %w", err)
	case err := <-folder:
		return err
	case <-ctx.Done():
		log.Info("stopping", "running_replies", rooms.Replies.Running())
		return nil
	}
}

func listen(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	switch {
	case errors.Is(err, syscall.EADDRINUSE):
		return nil, fmt.Errorf("another program uses %s; stop it, or choose another port with -listen", address)
	case err != nil:
		return nil, fmt.Errorf("cannot listen on %q (%v); give -listen as host:port", address, err)
	}
	return l, nil
}

func openModels(path string) (*models.Registry, error) {
	var f models.File
	if path != "" {
		var err error
		if f, err = ReadConnections(path); err != nil {
			return nil, err
		}
	}
	return models.Open(f, protocol.All()), nil
}

// ReadConnections reads a connection file. It fails if the file cannot be read,
// and with yamlfile.Problems.
func ReadConnections(path string) (models.File, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return models.File{}, fmt.Errorf("the connection file cannot be read: %w", err)
	}
	return models.Read(path, text, protocol.All())
}

// watchConnections takes up a connection file whenever it changes. One with
// mistakes is reported and left.
func watchConnections(ctx context.Context, path string, registry *models.Registry, log *slog.Logger) {
	seen := modified(path)
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(2 * time.Second):
		}
		if now := modified(path); now != seen {
			seen = now
			f, err := ReadConnections(path)
			if err != nil {
				log.Error("the connection file has mistakes; the last good one stays in use", "error", err)
				continue
			}
			registry.Replace(f)
			log.Info("connection file taken up", "file", path)
		}
	}
}

func modified(path string) time.Time {
	info, err := os.Stat(path)
	if err != nil {
		return time.Time{}
	}
	return info.ModTime()
}

func masterKeyFile(o Settings) string {
	if o.MasterKey != "" {
		return o.MasterKey
	}
	return filepath.Join(o.Data, "master.key")
}

// firstLink makes the one-time link for the owner's account, unless there is
// an account. What makes it secret stands behind #, which browsers do not send
// on. Every start makes the link anew.
func firstLink(ctx context.Context, st *store.Store, address string) (string, error) {
	if any, err := st.Accounts.AnyAccount(ctx); any || err != nil {
		return "", err
	}
	secret := strings.ToLower(rand.Text())
	return address + "/console/welcome#" + secret, st.Accounts.SetFirstLink(ctx, secret, time.Now())
}

// ownersToken is what the owner's token of a data folder is called: services with others
// on the same database have their own.
func ownersToken(data string) string {
	host, _ := os.Hostname()
	path, err := filepath.Abs(data)
	if err != nil {
		path = data
	}
	hash := sha256.Sum256([]byte(host + "\x00" + path))
	return "owner-" + hex.EncodeToString(hash[:3])
}

// introduce makes sure that the command line on this machine can reach the
// service: an owner's token in a config file that only its owner can read.
func introduce(ctx context.Context, st *store.Store, data, address string) (string, error) {
	path := filepath.Join(data, "client.yaml")
	c, err := client.Load("", "", path, func(string) string { return "" })
	if err != nil || c.Token == "" {
		c = &client.Client{Token: account.NewTokenSecret()}
	}
	if _, err := st.Accounts.TokenBySecret(ctx, c.Token, time.Now()); errors.Is(err, record.ErrNotFound) {
		name := ownersToken(data)
		if err := st.Accounts.RemoveToken(ctx, name, time.Now()); err != nil && !errors.Is(err, record.ErrNotFound) {
			return "", err
		}
		if _, err := st.Accounts.AddToken(ctx, record.Token{Name: name, Scopes: account.AllScopes()},
			c.Token); err != nil {
			return "", err
		}
	} else if err != nil {
		return "", err
	}
	if err := (client.Config{Address: address, Token: c.Token}).Save(path); err != nil {
		return "", fmt.Errorf("write the command line's config file: %w", err)
	}
	return path, nil
}
