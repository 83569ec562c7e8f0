package site

import "slices"

// Begin is the running order that a kind of rig starts with, to be changed freely: they
// differ in what may be done before anything boots.
func (s Setup) Begin(learnt map[Doing]Learnt) []OrderStep {
	var out []OrderStep
	add := func(does Doing, name, thread string, after ...Doing) {
		p50, p80, people, shares := s.Estimate(does, learnt)
		x := OrderStep{ID: string(does), Name: name, Thread: thread, Does: does, Minutes: tenth(p50), P80: tenth(p80),
			People: people, Shares: shares, After: []string{}}
		x.learnt(learnt)
		for _, a := range after {
			if slices.ContainsFunc(out, func(y OrderStep) bool { return y.Does == a }) {
				x.After = append(x.After, string(a))
			}
		}
		out = append(out, x)
	}
	lay, bed := "lay rail", "rails"
	if !s.Rails {
		lay, bed = "wheel in", "base"
	}
	add(Agree, "place agreed", "place")
	out[0].Owner = "director"
	add(Unload, "unload", bed)
	add(Lay, lay, bed, Unload, Agree)
	add(Even, "level", bed, Lay)
	switch s.Kind {
	case "slider": // balanced with the gear free, before anything boots
		add(Head, "head on slider", "head", Unload)
		add(Camera, "build camera", "camera", Unload)
		add(Weigh, "weigh pieces", "camera", Camera)
		add(Isolate, "lock power off", "power", Unload)
		add(Mount, "mount", "head", Even, Head, Weigh, Isolate)
		add(Line, "safety line", "head", Mount)
		add(Balance, "balance", "head", Line)
		add(Cable, "run cable", "power", Isolate)
		add(Pins, "pins out", "desk", Mount)
		add(Boot, "boot", "power", Cable, Pins, Balance)
		add(Home, "home", "desk", Boot, Balance, Pins)
	case "crane": // weights go on once the camera hangs, with its boom pinned
		add(Build, "base and boom", "boom", Even)
		add(PinIn, "pin the boom", "boom", Build)
		add(Head, "head on boom", "boom", PinIn)
		add(Camera, "build camera", "camera", Unload)
		add(Weigh, "weigh pieces", "camera", Camera)
		add(Isolate, "lock power off", "power", Unload)
		add(Mount, "mount", "boom", Head, Weigh, PinIn, Isolate)
		add(Line, "safety line", "boom", Mount)
		add(Fit, "hang accessories", "camera", Mount)
		add(Weights, "counterweights", "boom", Line)
		add(PinOut, "boom free", "boom", Weights, Fit)
		add(Balance, "balance", "boom", PinOut, Fit, Line)
		add(Cable, "run cable", "power", Even, Isolate)
		add(Pins, "pins out", "desk", Mount)
		add(Boot, "boot", "power", Cable, Pins, Balance)
		add(Home, "home", "desk", Boot, Balance, Pins, PinOut)
	case "arm": // it boots bare while its camera is hung with all, and is told what it carries
		add(Build, "base and arm", "arm", Even)
		add(Cable, "run cable", "power", Even)
		add(Pins, "pins out", "desk", Build)
		add(Boot, "boot", "power", Cable, Build, Pins)
		add(Camera, "build camera", "camera", Unload)
		add(Fit, "hang accessories", "camera", Camera)
		add(Home, "home", "desk", Boot)
		add(Isolate, "lock power off", "power", Boot, Home)
		add(Mount, "mount", "arm", Isolate, Camera, Fit)
		add(Line, "safety line", "arm", Mount)
		add(Release, "power on again", "power", Isolate, Line, Mount)
		add(Tell, "feel the payload", "desk", Fit, Home, Release)
	default:
		add(Build, "build", bed, Even)
		add(Isolate, "lock power off", "power", Unload)
		add(Mount, "model on", "model", Build, Isolate)
		add(Cable, "run cable", "power", Isolate)
		add(Pins, "pins out", "desk", Mount)
		add(Boot, "boot", "power", Cable, Build, Pins, Mount)
		add(Home, "home", "desk", Boot, Mount)
	}
	add(Lens, "lens marks", "desk", Home, Tell)
	if s.Kind == "model mover" {
		out = out[:len(out)-1]
	}
	return out
}
