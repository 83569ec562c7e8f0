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

// What breaks off in one of many is not the end of the process, and the others are done.
func TestEachBreaksOffHere(t *testing.T) {
	var did [3]bool
	defer func() {
		if p := recover(); p != "two" || !did[0] || !did[2] {
			t.Errorf("%v, %v", p, did)
		}
	}()
	effort.Each(3, func(i int) {
		if i == 1 {
			panic("two")
		}
		did[i] = true
	})
	t.Error("it goes on")
}
