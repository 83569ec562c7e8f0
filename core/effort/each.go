package effort

import "sync"

// Each does something so many times beside each other, by number, and waits for all. What breaks
// off in one of them breaks off here, where somebody can hear of it.
func Each(n int, do func(i int)) {
	var all sync.WaitGroup
	broke := make([]any, n)
	for i := range n {
		all.Go(func() {
			defer func() { broke[i] = recover() }()
			do(i)
		})
	}
	all.Wait()
	for _, p := range broke {
		if p != nil {
			panic(p)
		}
	}
}
