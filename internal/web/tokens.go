package web

import (
	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

func (s *accounts) addToken(c fiber.Ctx) error {
	var b api.NewToken
	if err := readJSON(c, &b); err != nil {
		return err
	}
	t, secret, err := s.Accounts.AddToken(c, record.Token{Name: b.Name, Scopes: b.Scopes, ExpiresAt: b.ExpiresAt},
		by(c))
	if err != nil {
		return err
	}
	return sendToken(c, t, secret)
}

// sendToken shows a token's secret, once.
func sendToken(c fiber.Ctx, t record.Token, secret string) error {
	made := shape.Token(t)
	made.Secret = secret
	return c.Status(fiber.StatusCreated).JSON(made)
}

func (s *accounts) listTokens(c fiber.Ctx) error {
	list, err := s.Accounts.Tokens(c)
	if err != nil {
		return err
	}
	return c.JSON(api.TokenList{Tokens: shape.All(list, shape.Token)})
}

func (s *accounts) removeToken(c fiber.Ctx) error {
	if err := s.Accounts.RemoveToken(c, c.Params("name"), by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// restoreToken makes a removed token good again; that is possible for an hour.
func (s *accounts) restoreToken(c fiber.Ctx) error {
	if err := s.Accounts.RestoreToken(c, c.Params("name"), by(c)); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}
