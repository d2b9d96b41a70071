// Package vault encrypts the keys that are typed into the console, so that a
// copy of the database gives none away. It uses AES-256 in Galois/Counter mode
// (NIST SP 800-38D) with a random nonce for each text.
package vault

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// Vault seals and opens texts with one master key.
type Vault struct {
	aead   cipher.AEAD
	master string
}

// ErrForeign is the error of what another master key has sealed, or what was
// changed since.
var ErrForeign = errors.New("it was encrypted with another master key")

// New makes a vault of a master key: any text of at least 16 bytes, better 32
// random ones. It fails if it is shorter.
func New(master string) (*Vault, error) {
	master = strings.TrimSpace(master)
	if len(master) < 16 {
		return nil, errors.New("the master key is too short; use at least 16 characters, better 64 random " +
			"hexadecimal digits")
	}
	key := sha256.Sum256([]byte("juvalogos vault 1:" + master))
	block, err := aes.NewCipher(key[:])
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCM(block)
	return &Vault{aead, master}, err
}

// Open makes a vault of the master key in the environment, if there is one,
// else of the one in a file, which is made if it is not there. It fails if the
// key cannot be read or made.
func Open(fromEnvironment, file string) (*Vault, error) {
	if fromEnvironment != "" {
		return New(fromEnvironment)
	}
	text, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		if text, err = makeKey(file); err != nil {
			return nil, fmt.Errorf("make the master key: %w", err)
		}
	}
	if err != nil {
		return nil, fmt.Errorf("the master key cannot be read: %w", err)
	}
	v, err := New(string(text))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return v, nil
}

func makeKey(file string) ([]byte, error) {
	var key [32]byte
	_, _ = rand.Read(key[:]) // never fails
	text := []byte(hex.EncodeToString(key[:]) + "\n")
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return nil, err
	}
	return text, os.WriteFile(file, text, 0o600)
}

// Derive is a key of 32 bytes for another purpose, made of the master key.
func (v *Vault) Derive(purpose string) []byte {
	key := sha256.Sum256([]byte("juvalogos " + purpose + ":" + v.master))
	return key[:]
}

// Seal encrypts a text under a name, which has to be given again to open it.
func (v *Vault) Seal(name, text string) []byte {
	nonce := make([]byte, v.aead.NonceSize())
	_, _ = rand.Read(nonce) // never fails
	return v.aead.Seal(nonce, nonce, []byte(text), []byte(name))
}

// Unseal decrypts what was sealed under a name. The error is ErrForeign.
func (v *Vault) Unseal(name string, sealed []byte) (string, error) {
	n := v.aead.NonceSize()
	if len(sealed) < n {
		return "", ErrForeign
	}
	text, err := v.aead.Open(nil, sealed[:n], sealed[n:], []byte(name))
	if err != nil {
		return "", ErrForeign
	}
	return string(text), nil
}
