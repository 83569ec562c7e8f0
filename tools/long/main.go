// Command long names lines of Go over 120 columns, a tab being four, and of other files over 100,
// in those that it is given: none that are generated. A line of Go that ends in a struct's tag is
// left out: nothing breaks it but a shorter description, and that is what the API's shows.
package main

import (
	"bufio"
	"fmt"
	"os"
	"regexp"
	"strings"
	"unicode/utf8"
)

const (
	most      = 120
	mostOther = 100 // as the interface's files are laid out
)

var tag = regexp.MustCompile("`[a-z_]+:\".*\"`( //.*)?$")

// tooLong is whether a line of a file is, how many columns it has, and may have.
func tooLong(name, line string) (n, may int, long bool) {
	n = utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    "))
	if !strings.HasSuffix(name, ".go") {
		return n, mostOther, n > mostOther
	}
	return n, most, n > most && !tag.MatchString(line)
}

func main() {
	bad := 0
	for _, name := range os.Args[1:] {
		f, err := os.Open(name)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
		in := bufio.NewScanner(f)
		in.Buffer(nil, 1<<24)
		for at := 1; in.Scan(); at++ {
			if n, may, long := tooLong(name, in.Text()); long {
				fmt.Printf("%s:%d: %d columns, at most %d\n", name, at, n, may)
				bad++
			}
		}
		f.Close()
		if err := in.Err(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
	}
	if bad > 0 {
		os.Exit(1)
	}
}
