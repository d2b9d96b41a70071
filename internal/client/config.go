package client

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/goccy/go-yaml"

	"juvalogos/core/yamlfile"
)

// Config is a client's config file: the way to a service.
type Config struct {
	Address string `yaml:"address" need:"yes" about:"The service's address." example:"http://127.0.0.1:7117"`
	Token   string `yaml:"token" about:"An API token (juvalogos token add)."`
}

// DefaultAddress is where a service on this machine listens.
const DefaultAddress = "http://127.0.0.1:7117"

// Load finds the way to a service: address and token as given, else from the
// environment (JUVALOGOS_ADDRESS, JUVALOGOS_TOKEN), else from a config file:
// the one given, else JUVALOGOS_CONFIG, else the first that exists of
// fallbacks. An address that comes from elsewhere than the file goes without
// the file's token.
func Load(address, token, file string, getenv func(string) string, fallbacks ...string) (*Client, error) {
	c := &Client{Address: first(address, getenv("JUVALOGOS_ADDRESS")), Token: first(token, getenv("JUVALOGOS_TOKEN"))}
	config, err := readConfig(first(file, getenv("JUVALOGOS_CONFIG")), fallbacks)
	if err != nil {
		return nil, err
	}
	if c.Address == "" || c.Address == config.Address {
		c.Address, c.Token = first(config.Address, DefaultAddress), first(c.Token, config.Token)
	}
	return c, nil
}

func readConfig(file string, fallbacks []string) (Config, error) {
	named := file != ""
	if named {
		fallbacks = []string{file}
	}
	var c Config
	for _, path := range fallbacks {
		text, err := os.ReadFile(path)
		switch {
		case err == nil:
			return c, yamlfile.Decode(path, text, &c)
		case named:
			return c, fmt.Errorf("the config file cannot be read: %w", err)
		case !errors.Is(err, fs.ErrNotExist) && !errors.Is(err, fs.ErrPermission):
			return c, err
		}
	}
	return c, nil
}

// Save writes a config file that only its owner can read.
func (c Config) Save(path string) error {
	text, err := yaml.Marshal(c)
	if err != nil {
		return err
	}
	fresh := path + ".new"
	if err := os.WriteFile(fresh, text, 0o600); err != nil {
		return err
	}
	return os.Rename(fresh, path)
}

// UserFile is where a person's own config file is.
func UserFile() string {
	dir, err := os.UserConfigDir()
	if err != nil {
		return ""
	}
	return filepath.Join(dir, "juvalogos", "client.yaml")
}

func first(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}
