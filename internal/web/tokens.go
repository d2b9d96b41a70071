package web

import (
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

const longestTokenName = 60

func (s *Server) addToken(c fiber.Ctx) error {
	var b api.NewToken
	if err := readJSON(c, &b); err != nil {
		return err
	}
	return s.makeToken(c, b, false)
}

// makeToken records a token and answers with its secret; replace makes an
// older one of that name worthless.
func (s *Server) makeToken(c fiber.Ctx, b api.NewToken, replace bool) error {
	b.Name = strings.TrimSpace(b.Name)
	if b.Name == "" || len(b.Name) > longestTokenName || strings.ContainsAny(b.Name, "/?#") {
		return invalid("Give the token a name of up to 60 letters, without / ? #, that tells what it is for.")
	}
	if b.Scopes == nil {
		b.Scopes = allScopes
	}
	for _, scope := range b.Scopes {
		if !slices.Contains(allScopes, scope) {
			return invalid(fmt.Sprintf("There is no scope %q; there are: %s.", scope, strings.Join(allScopes, ", ")))
		}
	}
	if len(b.Scopes) == 0 {
		return invalid("Choose at least one thing that the token is good for: " + strings.Join(allScopes, ", ") + ".")
	}
	if b.ExpiresAt != nil && b.ExpiresAt.Before(time.Now()) {
		return invalid("The token's last day is over already; choose one that is to come.")
	}
	if replace {
		if err := s.Store.Accounts.RemoveToken(c, b.Name, time.Now()); err != nil && !errors.Is(err, record.ErrNotFound) {
			return err
		}
		s.tokens.clear()
	}
	secret := NewTokenSecret()
	t, err := s.Store.Accounts.AddToken(c, record.Token{Name: b.Name, Scopes: b.Scopes, ExpiresAt: b.ExpiresAt}, secret)
	if errors.Is(err, record.ErrDuplicate) {
		return fiber.NewError(fiber.StatusConflict, fmt.Sprintf("There is a token named %q already. Choose another name, or remove that one.", b.Name))
	}
	if err != nil {
		return err
	}
	made := shape.Token(t)
	made.Secret = secret
	return c.Status(fiber.StatusCreated).JSON(made)
}

// NewTokenSecret makes the secret of an API token. Its prefix lets scanners of
// repositories find one that was committed by mistake.
func NewTokenSecret() string { return "jvl_" + rand.Text() }

// AllScopes are the scopes of a token that may do everything.
func AllScopes() []string { return slices.Clone(allScopes) }

func (s *Server) listTokens(c fiber.Ctx) error {
	list, err := s.Store.Accounts.Tokens(c)
	if err != nil {
		return err
	}
	return c.JSON(api.TokenList{Tokens: shape.All(list, shape.Token)})
}

func (s *Server) removeToken(c fiber.Ctx) error {
	err := s.Store.Accounts.RemoveToken(c, c.Params("name"), time.Now())
	if errors.Is(err, record.ErrNotFound) {
		return fiber.NewError(fiber.StatusNotFound, fmt.Sprintf("There is no token named %q.", c.Params("name")))
	}
	if err != nil {
		return err
	}
	s.tokens.clear()
	return c.SendStatus(fiber.StatusNoContent)
}

// restoreToken makes a removed token good again; that is possible for an hour.
func (s *Server) restoreToken(c fiber.Ctx) error {
	err := s.Store.Accounts.RestoreToken(c, c.Params("name"))
	if errors.Is(err, record.ErrNotFound) {
		return fiber.NewError(fiber.StatusNotFound, fmt.Sprintf("There is no removed token named %q.", c.Params("name")))
	}
	if err != nil {
		return err
	}
	s.tokens.clear()
	return c.SendStatus(fiber.StatusNoContent)
}
