// Package service puts a Juvalogos together and runs it: database, models,
// desks, web.
package service

import (
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"juvalogos/core/yamlfile"
	"juvalogos/internal/limits"
	"juvalogos/internal/reach"
	"juvalogos/internal/vault"
)

// Settings are what the service can be told, by flag, environment or file. The
// tags serve all three.
type Settings struct {
	Listen       string        `yaml:"listen" about:"address and port to answer on"`
	BasePath     string        `yaml:"base-path" about:"path of a site that the service is mounted under, behind a reverse proxy, like /ask"`
	Data         string        `yaml:"data" about:"folder for everything that lasts"`
	Database     string        `yaml:"database" about:"address of an existing PostgreSQL, like postgres://user@host/name; without it a private one runs in the data folder"`
	Connections  string        `yaml:"connections" about:"connection file: the model servers; changes are taken up while running"`
	Tables       string        `yaml:"tables" about:"file of PostgreSQL databases whose tables shelves may have; changes are taken up while running"`
	Desks        string        `yaml:"desks" about:"folder of desk files that is watched: a file is published whenever it is saved"`
	MasterKey    string        `yaml:"master-key" about:"file with the master key that encrypts keys typed in at the console; made in the data folder if there is none. The key itself can be in the environment variable JUVALOGOS_MASTER"`
	Programs     string        `yaml:"programs" about:"folder of programs that recipes and connections made while it runs may run; without it they may run none"`
	Sentences    bool          `yaml:"sentences" about:"find documents by the meanings of their sentences too, which the service makes in the background; false spares the processor"`
	FetchPrivate bool          `yaml:"fetch-private" about:"let shelves fetch from this machine and from private networks"`
	Reach        string        `yaml:"reach" about:"hosts that recipes may call, HOST or HOST:PORT, with commas between; without it they may call none"`
	Visit        string        `yaml:"visit" about:"hosts that visitors may have pages, files, articles and papers brought from, HOST, *.HOST or HOST:PORT, with commas between; without it none. One on this machine or in a private network only as HOST:PORT"`
	KeyVariables string        `yaml:"key-variables" about:"beginnings of the names of environment variables that connections made in the console and headers of recipes may name, like MODEL_KEY_, with commas between; without it they may name none"`
	KeyFolders   string        `yaml:"key-folders" about:"folders with files that connections made in the console may name as keys, with commas between; without it they may name none"`
	Proxies      string        `yaml:"proxies" about:"addresses or networks of reverse proxies, like 127.0.0.1 or 10.0.0.0/8, with commas between, that are believed when they say where a request comes from (Forwarded, X-Forwarded-For, X-Forwarded-Proto)"`
	Limits       string        `yaml:"limits" about:"limits that differ from the usual ones, like questions.visitor=10/1m, with commas between; off for none at all (docs/running.md lists them)"`
	OTLP         string        `yaml:"otlp" about:"address of an OpenTelemetry collector that gets the traces, like http://127.0.0.1:4318"`
	NotifyMail   string        `yaml:"notify-mail" about:"mail server through which the owner is told what is wrong, and when it is over, like smtp://user@mail.example.net:587/?to=owner@example.net; its password is in the environment variable JUVALOGOS_MAIL_PASSWORD"`
	NotifyHook   string        `yaml:"notify-webhook" about:"address that is posted the same as JSON, like https://example.net/hook; signed if the environment variable JUVALOGOS_WEBHOOK_SECRET is set"`
	Grace        time.Duration `yaml:"grace" about:"how long replies may go on when the service is stopped"`
	Currency     string        `yaml:"currency" about:"the currency that the prices of models are written in, by its code, like EUR"`
	LogFormat    string        `yaml:"log-format" choices:"text,json" about:"text or json"`
	LogLevel     string        `yaml:"log-level" choices:"debug,info,warn,error" about:"debug, info, warn or error"`
}

// Defaults are settings that work.
func Defaults() Settings {
	return Settings{
		Listen: "127.0.0.1:7117", Data: DefaultData(), Grace: 20 * time.Second,
		Sentences: true, Currency: "USD", LogFormat: "text", LogLevel: "info",
	}
}

// listOf are the entries of a setting with commas between.
func listOf(text string) (all []string) {
	for entry := range strings.SplitSeq(text, ",") {
		if entry = strings.TrimSpace(entry); entry != "" {
			all = append(all, entry)
		}
	}
	return all
}

func (s Settings) references() vault.References {
	return vault.References{Variables: listOf(s.KeyVariables), Folders: listOf(s.KeyFolders)}
}

// guards are the limits, and the networks of the proxies that are believed.
func (s Settings) guards() (*limits.Table, []netip.Prefix, error) {
	bounds, err := limits.Parse(s.Limits)
	if err != nil {
		return nil, nil, fmt.Errorf("limits: %w", err)
	}
	proxies, err := s.proxies()
	return limits.NewTable(bounds, nil), proxies, err
}

// proxies are the networks of the proxies that are believed.
func (s Settings) proxies() (all []netip.Prefix, err error) {
	for _, entry := range listOf(s.Proxies) {
		network, err := netip.ParsePrefix(entry)
		if one, failed := netip.ParseAddr(entry); failed == nil {
			network, err = one.Prefix(one.BitLen())
		}
		if err != nil {
			return nil, fmt.Errorf("proxies: %q is no address and no network; write it like 127.0.0.1 or 10.0.0.0/8",
				entry)
		}
		all = append(all, network.Masked())
	}
	return all, nil
}

// DefaultData is the data folder if none is named: the system's place for
// root, else the user's.
func DefaultData() string {
	if os.Geteuid() == 0 {
		return "/var/lib/juvalogos"
	}
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, "juvalogos")
	}
	return filepath.Join(os.Getenv("HOME"), ".local", "share", "juvalogos")
}

// EnvName is the environment variable of a setting.
func EnvName(key string) string {
	return "JUVALOGOS_" + strings.ToUpper(strings.ReplaceAll(key, "-", "_"))
}

// Read works out the settings: defaults, overridden by the config file,
// overridden by the environment, overridden by flags. The file is the one
// named by -config or JUVALOGOS_START_CONFIG; there need be none.
func Read(flags *flag.FlagSet, args []string, getenv func(string) string) (Settings, error) {
	s := Defaults()
	given := map[string]string{}
	described := yamlfile.Describe(&s)
	for _, d := range described {
		about := fmt.Sprintf("%s (environment: %s)", d.About, EnvName(d.Key))
		if d.Value != "" {
			about += fmt.Sprintf(" (default %s)", d.Value)
		}
		flags.Func(d.Key, about, func(value string) error { given[d.Key] = value; return nil })
	}
	file := flags.String("config", "", "config file in YAML, with these flags as keys (environment: "+
		"JUVALOGOS_START_CONFIG)")
	if err := flags.Parse(args); err != nil {
		return s, err
	}
	if flags.NArg() > 0 {
		return s, fmt.Errorf("%q is not expected here; flags begin with a hyphen", flags.Arg(0))
	}
	if *file == "" {
		*file = getenv("JUVALOGOS_START_CONFIG")
	}
	if *file != "" {
		text, err := os.ReadFile(*file)
		if errors.Is(err, fs.ErrNotExist) {
			return s, fmt.Errorf("there is no config file %s", *file)
		}
		if err != nil {
			return s, err
		}
		if err := yamlfile.Decode(*file, text, &s); err != nil {
			return s, err
		}
	}
	for _, d := range described {
		if value := getenv(EnvName(d.Key)); value != "" {
			if err := d.Set(value); err != nil {
				return s, fmt.Errorf("environment variable %s: %w", EnvName(d.Key), err)
			}
		}
		if value, ok := given[d.Key]; ok {
			if err := d.Set(value); err != nil {
				return s, fmt.Errorf("flag -%s: %w", d.Key, err)
			}
		}
	}
	if _, _, err := s.guards(); err != nil {
		return s, err
	}
	if _, err := reach.NewListed(listOf(s.Visit)); err != nil {
		return s, fmt.Errorf("visit: %w", err)
	}
	if !isCurrency.MatchString(s.Currency) {
		return s, fmt.Errorf("currency is a code of three capital letters, like EUR or USD, not %q", s.Currency)
	}
	return s, nil
}

// isCurrency matches a code of ISO 4217.
var isCurrency = regexp.MustCompile(`^[A-Z]{3}$`)
