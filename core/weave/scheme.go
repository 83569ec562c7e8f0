package weave

import "fmt"

// Layer is one exposure of every frame: what is lit, and whether the puppet is in.
type Layer struct {
	ID     string `json:"id"`
	Number int    `json:"number"`
	Name   string `json:"name"`
	Note   string `json:"note"`
	// Lamps are the levels of the lamps by name, from 0 to 1.
	Lamps  map[string]float64 `json:"lamps"`
	Puppet bool               `json:"puppet" doc:"the puppet is in the set"`
	// Apart layers are taken on a run of their own, as a clean plate is; the others one
	// after another at each frame, while nobody touches the set.
	Apart bool `json:"apart"`
	// From and To are the picture frames [From, To) that it is wanted for.
	From int `json:"from"`
	To   int `json:"to"`
	MS   int `json:"exposure_ms"`
	// Struck layers are exposed no more; their pictures stay.
	Struck bool `json:"struck"`
}

// Hold says that from a frame on every so many frames have a picture of their own:
// 1 is on ones, 2 on twos.
type Hold struct {
	From  int `json:"from"`
	Every int `json:"every"`
}

// Scheme is what a shoot is to become.
type Scheme struct {
	First  int     `json:"first"` // picture frames [First, Last)
	Last   int     `json:"last"`
	Holds  []Hold  `json:"holds"`
	Layers []Layer `json:"layers"`
	// AskM is the distance in metres beyond which a move is asked about first, Share
	// the share of the working speeds at which the rig goes from frame to frame.
	AskM  float64 `json:"ask_m"`
	Share float64 `json:"speed_share"`
}

// Bounds of a scheme.
const (
	MostFrames = 20_000
	MostFrame  = 1 << 24 // from frame 0, either way
	MostLayers = 24
	MostCells  = 100_000
	MostMS     = 600_000
	MostLamps  = 64
)

// Error names the field of a scheme that is wrong and what would be right.
type Error struct{ Field, Wrong, Want string }

func (e *Error) Error() string { return fmt.Sprintf("%s: %s; %s", e.Field, e.Wrong, e.Want) }

// Check reports the first thing that makes a scheme unusable.
func (s *Scheme) Check() error {
	bad := func(field, want, wrong string, v ...any) error {
		return &Error{field, fmt.Sprintf(wrong, v...), want}
	}
	switch {
	case s.First < -MostFrame || s.First > MostFrame: // before any difference is taken
		return bad("first", fmt.Sprintf("give %d to %d", -MostFrame, MostFrame), "frame %d", s.First)
	case s.Last < -MostFrame || s.Last > MostFrame:
		return bad("last", fmt.Sprintf("give %d to %d", -MostFrame, MostFrame), "frame %d", s.Last)
	case s.Last <= s.First || s.Last-s.First > MostFrames:
		return bad("last", fmt.Sprintf("give a last frame above the first, at most %d on", MostFrames),
			"frames %d to %d", s.First, s.Last)
	case !(s.AskM >= 0.001 && s.AskM <= 10):
		return bad("ask_m", "give 0.001 to 10 m", "a distance of %g m", s.AskM)
	case !(s.Share >= 0.01 && s.Share <= 0.5):
		return bad("speed_share", "give 0.01 to 0.5", "a share of %g of the working speeds", s.Share)
	case len(s.Holds) == 0 || s.Holds[0].From != s.First:
		return bad("holds", "begin with the first frame", "the first frame has no hold")
	case len(s.Layers) == 0 || len(s.Layers) > MostLayers:
		return bad("layers", fmt.Sprintf("give 1 to %d", MostLayers), "%d layers", len(s.Layers))
	}
	if n := (s.Last - s.First) * len(s.Layers); n > MostCells {
		return bad("layers", fmt.Sprintf("give at most %d", MostCells), "%d frames with %d layers make %d cells",
			s.Last-s.First, len(s.Layers), n)
	}
	for i, h := range s.Holds {
		if h.Every < 1 || h.Every > 24 {
			return bad("holds", "give 1 to 24", "a picture every %d frames", h.Every)
		}
		if h.From >= s.Last || i > 0 && h.From <= s.Holds[i-1].From {
			return bad("holds", "give them in rising order within the shoot", "a hold from frame %d", h.From)
		}
	}
	ids, names := map[string]bool{}, map[string]bool{}
	for _, l := range s.Layers {
		switch {
		case l.ID == "" || ids[l.ID]:
			return bad("layers", "give each its own", "the id %q", l.ID)
		case l.Name == "" || len(l.Name) > 40 || names[l.Name]:
			return bad("layers", "give each its own, of 1 to 40 letters", "the name %q", l.Name)
		case l.From < s.First || l.To > s.Last || l.From >= l.To:
			return bad("layers", fmt.Sprintf("give frames within %d to %d", s.First, s.Last), "%s from %d to %d",
				l.Name, l.From, l.To)
		case l.MS < 1 || l.MS > MostMS:
			return bad("layers", fmt.Sprintf("give 1 to %d ms", MostMS), "%s is exposed for %d ms", l.Name, l.MS)
		case len(l.Lamps) > MostLamps:
			return bad("layers", fmt.Sprintf("give at most %d", MostLamps), "%s has %d lamps", l.Name, len(l.Lamps))
		}
		for lamp, v := range l.Lamps {
			if !(v >= 0 && v <= 1) {
				return bad("layers", "give 0 to 1", "%s has the lamp %s at %g", l.Name, lamp, v)
			}
		}
		ids[l.ID], names[l.Name] = true, true
	}
	return nil
}

// Base is the frame whose picture stands at a frame: itself, or the one that is held.
func (s *Scheme) Base(frame int) int {
	for i := len(s.Holds) - 1; i >= 0; i-- {
		if h := s.Holds[i]; frame >= h.From {
			return frame - (frame-h.From)%h.Every
		}
	}
	return frame
}

// has says for which frames a layer has pictures: a frame that is held has that of its base.
func (s *Scheme) has(l *Layer) string {
	from := l.From
	for from < l.To && s.Base(from) < l.From {
		from++
	}
	if from >= l.To {
		return "choose another layer"
	}
	return fmt.Sprintf("give %04d to %04d", from, l.To-1)
}

// Frames are the frames that have pictures of their own, rising.
func (s *Scheme) Frames() []int {
	var out []int
	for f := s.First; f < s.Last; f++ {
		if s.Base(f) == f {
			out = append(out, f)
		}
	}
	return out
}

// Layer finds a layer by id, or nil.
func (s *Scheme) Layer(id string) *Layer {
	for i := range s.Layers {
		if s.Layers[i].ID == id {
			return &s.Layers[i]
		}
	}
	return nil
}
