// Command tested reads what "go test -json" says, prints what is worth reading of it (each
// package's result, and all that a failed test has said) and the slowest tests at the end.
package main

import (
	"bufio"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"sort"
	"strings"
)

type event struct {
	Action  string
	Package string
	Test    string
	Output  string
	Elapsed float64
}

type slow struct {
	name    string
	seconds float64
}

//revive:disable-next-line:function-length one pass over what is read
func main() {
	most := flag.Int("slowest", 10, "how many of the slowest tests are named")
	list := flag.String("failed", "", "a file for the tests that failed, a package and a name on each line")
	flag.Parse()
	var fell []string
	begun := map[string]bool{}
	bad := map[string]bool{} // packages of which a test has said why it failed
	said := map[string]*strings.Builder{}
	var all []slow
	failed := false
	in := bufio.NewScanner(os.Stdin)
	in.Buffer(make([]byte, 0, 1<<16), 1<<26)
	for in.Scan() {
		var e event
		if json.Unmarshal(in.Bytes(), &e) != nil { // a build's own words
			fmt.Println(in.Text())
			continue
		}
		key := e.Package + " " + e.Test
		switch e.Action {
		case "run":
			begun[key] = true
		case "build-output":
			fmt.Print(e.Output)
		case "output":
			if strings.HasPrefix(e.Output, "panic: ") { // what would have come after it never ran
				fell = append(fell, e.Package+" -")
			}
			if said[key] == nil {
				said[key] = &strings.Builder{}
			}
			said[key].WriteString(e.Output)
			if strings.HasPrefix(e.Output, "stood still: ") { // what was done anew, and why
				fmt.Print(e.Output)
			}
			if e.Test == "" && (strings.HasPrefix(e.Output, "ok") || strings.HasPrefix(e.Output, "FAIL\t") ||
				strings.HasPrefix(e.Output, "panic:")) {
				fmt.Print(e.Output)
			}
		case "fail":
			failed = true
			delete(begun, key)
			switch top, _, sub := strings.Cut(e.Test, "/"); {
			case e.Test == "" && !bad[e.Package]: // it did not build, or all of it ended
				fell = append(fell, e.Package+" -")
			case e.Test != "" && !sub:
				bad[e.Package] = true
				fell = append(fell, e.Package+" "+top)
			}
			if b := said[key]; b != nil {
				fmt.Print(b.String())
			}
			delete(said, key)
		case "pass", "skip":
			// What runs beside its brothers is not counted in its parent's time.
			if n := strings.Count(e.Test, "/"); e.Test != "" && (n == 0 || n == 1 && e.Elapsed > 20) {
				all = append(all, slow{strings.TrimPrefix(e.Package, "keenarc/") + " " + e.Test, e.Elapsed})
			}
			delete(said, key)
			delete(begun, key)
		}
	}
	for key := range begun { // its process was ended
		failed = true
		fell = append(fell, strings.Fields(key)[0]+" -")
	}
	if err := in.Err(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	sort.SliceStable(all, func(a, b int) bool { return all[a].seconds > all[b].seconds })
	if len(all) > 0 {
		fmt.Println("the slowest:")
	}
	for _, s := range all[:min(*most, len(all))] {
		fmt.Printf("%8.1f s  %s\n", s.seconds, s.name)
	}
	if *list != "" {
		if err := os.WriteFile(*list, []byte(strings.Join(fell, "\n")), 0o600); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
	}
	if failed {
		os.Exit(1)
	}
}
