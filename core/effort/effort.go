// Package effort counts what a long calculation has done: it says how far it is, and ends when
// nobody waits for it any more. What is counted travels with the context.
package effort

import (
	"context"
	"sync/atomic"
)

// Count is how far a calculation is, in steps of about the same length. It may be read while the
// calculation runs.
type Count struct{ done, all atomic.Int64 }

type key struct{}

// With is a context in which a calculation is counted.
func With(ctx context.Context, c *Count) context.Context { return context.WithValue(ctx, key{}, c) }

// Share is how much of it is done, from 0 to 1; 0 as long as nothing is known of its length.
func (c *Count) Share() float64 {
	all := c.all.Load()
	if all <= 0 {
		return 0
	}
	return min(float64(c.done.Load())/float64(all), 1)
}

// Ahead says how many steps more will be made.
func Ahead(ctx context.Context, steps int) {
	if c, ok := ctx.Value(key{}).(*Count); ok {
		c.all.Add(int64(steps))
	}
}

// Did says that so many steps were made. An error is the context's: nobody waits any more.
func Did(ctx context.Context, steps int) error {
	if c, ok := ctx.Value(key{}).(*Count); ok {
		c.done.Add(int64(steps))
	}
	return ctx.Err()
}
