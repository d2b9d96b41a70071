package reply

import (
	"errors"

	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
)

// explain turns any error of a model into a Problem.
func explain(err error) *fault.Problem {
	var known *fault.Problem
	if errors.As(err, &known) {
		return known
	}
	var failure *models.Error
	var long *prompt.TooLong
	var empty steps.ErrEmpty
	var unfit steps.ErrUnfit
	var blind steps.ErrBlind
	var undrawn steps.ErrNoDrawing
	var runaway *recipe.Runaway
	var step *recipe.StepError
	switch {
	case errors.As(err, &failure):
		return fault.New(fault.Code(failure.Kind), err)
	case errors.As(err, &long):
		return tooLong(long)
	case errors.As(err, &empty):
		return fault.New(fault.Code(models.SaidNothing), err)
	case errors.As(err, &blind):
		return fault.New(fault.Blind, err)
	case errors.As(err, &undrawn):
		return fault.New(fault.NotSetUp, err)
	case errors.As(err, &unfit):
		return fault.New(fault.Unfit, err)
	case errors.As(err, &runaway):
		return fault.New(fault.TooMuch, err)
	case errors.Is(err, recipe.ErrLate):
		return fault.New(fault.TooLate, err)
	case errors.As(err, &step):
		return fault.New(fault.StepFailed, err)
	}
	return fault.New(fault.Unexpected, err)
}
