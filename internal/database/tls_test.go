package database_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"io"
	"log/slog"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/database"
	"juvalogos/internal/store/private"
)

const (
	host   = "127.83.4.15" // nothing else listens there
	secret = "swarm-of-secrets"
)

// A database that asks for a password and for encryption is copied from when both are right,
// and from no other; nothing that is said has the password in it.
func TestDatabaseOverTLSWithAPassword(t *testing.T) {
	folder := guarded(t)
	word := filepath.Join(folder, "word")
	if err := os.WriteFile(word, []byte(secret+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	wrong := filepath.Join(folder, "wrong")
	if err := os.WriteFile(wrong, []byte("hunter2-and-a-half"), 0o600); err != nil {
		t.Fatal(err)
	}
	trusted := "?sslmode=verify-full&sslrootcert=" + filepath.Join(folder, "server.crt")
	for _, c := range []struct{ way, word, user, problem string }{
		{trusted, word, "reader", ""},
		{trusted, wrong, "reader", "password authentication failed"},
		{"?sslmode=verify-full", word, "reader", "certificate"},
		{"?sslmode=disable", word, "reader", "no encryption"},
		{trusted, word, "nobody", "password authentication failed"},
	} {
		d := database.Database{Name: "register", Password: "file:" + c.word, Tables: []string{"members"},
			Address: "postgres://" + c.user + "@" + host + ":5432/juvalogos" + c.way}
		text, err := copied(t, d)
		switch {
		case c.problem == "" && (err != nil || text != "code,fee\n007,12.50\n"):
			t.Errorf("%s: %q, %v", c.way, text, err)
		case c.problem != "" && (err == nil || !strings.Contains(err.Error(), c.problem)):
			t.Errorf("%s as %s: %q, %v; it has to say %q", c.way, c.user, text, err, c.problem)
		case err != nil && (strings.Contains(err.Error(), secret) || strings.Contains(err.Error(), "hunter2")):
			t.Errorf("the password is told: %v", err)
		}
	}
}

func copied(t *testing.T, d database.Database) (string, error) {
	t.Helper()
	c, err := d.Copy(t.Context(), "members")
	if err != nil {
		return "", err
	}
	defer c.Close()
	text, err := io.ReadAll(c)
	return string(text), err
}

// guarded starts a server that lets a reader in over TLS with a password, and returns a folder
// that has its certificate.
func guarded(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "juvalogos-tls") // a short path, for its socket
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o711); err != nil {
		t.Fatal(err)
	}
	s, err := private.Start(t.Context(), folder, slog.New(slog.DiscardHandler), "listen_addresses="+host, "fsync=off")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Stop)
	certify(t, folder)
	conn, err := pgx.Connect(t.Context(), s.URL())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(t.Context())
	var data string
	if err := conn.QueryRow(t.Context(), "SHOW data_directory").Scan(&data); err != nil {
		t.Fatal(err)
	}
	err = os.WriteFile(filepath.Join(data, "pg_hba.conf"), []byte("local all juvalogos trust\nhostssl all all "+
		"127.0.0.0/8 scram-sha-256\n"), 0o644)
	if err != nil {
		t.Fatal(err)
	}
	for _, statement := range []string{
		"ALTER SYSTEM SET ssl_cert_file = '" + filepath.Join(folder, "server.crt") + "'",
		"ALTER SYSTEM SET ssl_key_file = '" + filepath.Join(folder, "server.key") + "'",
		"ALTER SYSTEM SET ssl = on", "ALTER SYSTEM SET password_encryption = 'scram-sha-256'",
		"SELECT pg_reload_conf()",
		"CREATE TABLE members (code text, fee numeric(8,2))", "INSERT INTO members VALUES ('007', 12.50)",
		"SET password_encryption = 'scram-sha-256'", "CREATE ROLE reader LOGIN PASSWORD '" + secret + "'",
		"GRANT SELECT ON members TO reader",
	} {
		if _, err := conn.Exec(t.Context(), statement); err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
	}
	for on := ""; on != "on"; {
		if err := conn.QueryRow(t.Context(), "SHOW ssl").Scan(&on); err != nil {
			t.Fatal(err)
		}
	}
	return folder
}

// certify makes a certificate of the server's, which only it and root can read the key of.
func certify(t *testing.T, folder string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	c := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: host},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IsCA: true,
		BasicConstraintsValid: true,
		IPAddresses:           []net.IP{net.ParseIP(host)}}
	signed, err1 := x509.CreateCertificate(rand.Reader, c, c, &key.PublicKey, key)
	private, err2 := x509.MarshalECPrivateKey(key)
	if err1 != nil || err2 != nil {
		t.Fatal(err1, err2)
	}
	owner, err := os.Stat(filepath.Join(folder, "data", "PG_VERSION"))
	if err != nil {
		t.Fatal(err)
	}
	of := owner.Sys().(*syscall.Stat_t)
	for name, block := range map[string]*pem.Block{"server.crt": {Type: "CERTIFICATE", Bytes: signed},
		"server.key": {Type: "EC PRIVATE KEY", Bytes: private}} {
		file := filepath.Join(folder, name)
		mode := map[string]os.FileMode{"server.crt": 0o644, "server.key": 0o600}[name]
		if err := os.WriteFile(file, pem.EncodeToMemory(block), mode); err != nil {
			t.Fatal(err)
		}
		if err := os.Chown(file, int(of.Uid), int(of.Gid)); err != nil {
			t.Fatal(fmt.Errorf("give the certificate to the server: %w", err))
		}
	}
}
