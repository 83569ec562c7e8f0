package effort_test

import (
	"context"
	"errors"
	"testing"

	"keenarc/core/effort"
)

func TestShare(t *testing.T) {
	if err := effort.Did(t.Context(), 5); err != nil {
		t.Errorf("what nobody counts ends with %v", err)
	}
	ctx, end := context.WithCancel(t.Context())
	c := &effort.Count{}
	ctx = effort.With(ctx, c)
	if c.Share() != 0 {
		t.Errorf("before anything is known it is %g done", c.Share())
	}
	effort.Ahead(ctx, 30)
	effort.Ahead(ctx, 10)
	if err := effort.Did(ctx, 10); err != nil || c.Share() != 0.25 {
		t.Errorf("10 of 40 are %g, %v", c.Share(), err)
	}
	end()
	if err := effort.Did(ctx, 50); !errors.Is(err, context.Canceled) || c.Share() != 1 {
		t.Errorf("60 of 40, and nobody waits: %g, %v", c.Share(), err)
	}
}
