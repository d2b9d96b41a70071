package reply

import (
	"context"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
)

// Run is how a reply was made once more.
type Run struct {
	Spans []recipe.Span
	Usage record.Usage
}

// RunAgain makes a reply that nobody listens to and that is put on no record,
// as the options say. It ends with ctx, or with the service; the error says how
// making it failed, and the run holds what there is.
func (s *Service) RunAgain(ctx context.Context, d *desk.Desk, q Request, conversation uuid.UUID, visitor record.Visitor,
	o recipe.Options) (Run, error) {
	recorder := &recipe.Recorder{}
	r := &Reply{Conversation: conversation, visitor: visitor, record: recorder}
	o.Do, o.Now, o.Sleep, o.Record = s.turn(d, q, r).Do, s.Now, pause, recorder
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	stop := context.AfterFunc(s.makeCtx, cancel)
	defer stop()
	_, err := recipe.Run(ctx, d.Recipe, q.All(), d.RecipeSettings, o)
	return Run{r.Spans(), record.Usage(recorder.Usage())}, err
}
