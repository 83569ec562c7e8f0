// Command long names lines of Go over 120 columns, a tab being four, in the files that it is given.
// A line that ends in a struct's tag is left out: nothing breaks it but a shorter description, and
// that is what the API's shows.
package main

import (
	"bufio"
	"fmt"
	"os"
	"regexp"
	"strings"
	"unicode/utf8"
)

const most = 120

var tag = regexp.MustCompile("`[a-z_]+:\".*\"`( //.*)?$")

// tooLong is whether a line is, and how many columns it has.
func tooLong(line string) (int, bool) {
	n := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    "))
	return n, n > most && !tag.MatchString(line)
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
			if n, long := tooLong(in.Text()); long {
				fmt.Printf("%s:%d: %d columns, at most %d\n", name, at, n, most)
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
