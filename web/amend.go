package web

import (
	"errors"

	"keenarc/core/amend"
	"keenarc/store"
)

// amendment is a request to change fields of a document of a shot.
type amendment struct {
	ID   string `path:"id" format:"uuid"`
	Body amended
}

// amended are changes of fields. They are all made, or none is; without any, the document is
// kept as it is.
type amended struct {
	Changes []amend.Field `json:"changes" maxItems:"500"`
}

// mostAgain is how often a change is made anew that somebody else was faster than.
const mostAgain = 10

// again does what rests on the newest version of a document once more where there is a newer
// one when it is written.
func again(f func() error) (err error) {
	for range mostAgain {
		err = f()
		if !errors.Is(err, store.ErrStale) && !errors.Is(err, store.ErrNewer) &&
			!errors.As(err, new(*store.LinedUpError)) {
			return err
		}
	}
	return err
}
