package e2e

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"keenarc/core/amend"
	"keenarc/core/length"
)

// probe is a page in which nothing is but the interface's own functions, by their names in
// window.probe. What it asks the network for is answered by window.net.
func probe(t *testing.T) *page {
	t.Helper()
	beside(t)
	if _, err := os.Stat("../ui/probe/probe.js"); err != nil {
		t.Fatal("make ui/probe/probe.js first: ", err)
	}
	h := http.NewServeMux()
	h.Handle("/probe/", http.StripPrefix("/probe/", http.FileServer(http.Dir("../ui/probe"))))
	h.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w,
			`<!doctype html><script>window.fetch = (r) => window.net(r)</script><script type="module" `+
				`src="/probe/probe.js"></script>`)
	})
	s := httptest.NewServer(h)
	ctx, end := tab(t)
	t.Cleanup(func() { end(); s.Close() })
	p := &page{t: t, ctx: ctx, end: end}
	p.must(chromedp.Navigate(s.URL))
	p.wait("the functions", "window.probe")
	return p
}

// asked calls a function of the interface with each row of a table, and returns what it answers.
func asked[A, T any](p *page, name string, rows []A) []T {
	p.t.Helper()
	table, err := json.Marshal(rows)
	if err != nil {
		p.t.Fatal(err)
	}
	return eval[[]T](p, fmt.Sprintf(`%s.map((a) => probe.%s(...[].concat(a)))`, table, name))
}

// Numbers are read as people type them, and written without a minus before nought.
func TestNumbersAsTyped(t *testing.T) {
	p := probe(t)
	typed := []string{"7", " 7 ", "1,5", "−3", "-3", "+4", ".5", "5.", "1e3", "1E-2", "", " ", "-", ".", "1.2.3",
		"0x10", "1e999", "NaN", "Infinity", "7 mm", "--3", "1,000.5", "１"}
	want := []any{7, 7, 1.5, -3, -3, 4, 0.5, 5, 1000, 0.01, nil, nil, nil, nil, nil, nil, nil, nil, nil, nil,
		nil, nil, nil}
	for i, got := range asked[string, *float64](p, "readNumber", typed) { // NaN is null in JSON
		if want[i] == nil != (got == nil) || got != nil && fmt.Sprint(*got) != fmt.Sprint(want[i]) {
			t.Errorf("%q is read as %v, want %v", typed[i], got, want[i])
		}
	}
	numbers := [][2]float64{{1.25, 1}, {-0.04, 1}, {math.Copysign(0, -1), 2}, {-0.05, 1}, {0.004, 2},
		{-1234.5, 0}, {-0.4, 0}}
	said := []string{"1.3", "0.0", "0.00", "-0.1", "0.00", "-1235", "0"}
	for i, got := range asked[[2]float64, string](p, "fixed", numbers) {
		if got != said[i] {
			t.Errorf("%g with %g decimals is written %q, want %q", numbers[i][0], numbers[i][1], got, said[i])
		}
	}
}

// A distance as it is shown is read again, by the application, as what it was: to an eighth of an
// inch, beyond 6 m to an inch; to a centimetre, beyond 10 m to ten.
func TestDistancesAreReadAsShown(t *testing.T) {
	p := probe(t)
	r := rand.New(rand.NewPCG(26, 4))
	var rows [][]any
	for i := range 800 {
		m := math.Exp(math.Log(0.005) + r.Float64()*math.Log(8000/0.005))
		rows = append(rows, []any{m, []string{"m", "ft"}[i%2]})
	}
	rows = append(rows, []any{0.0127, "ft"}, []any{0.3048, "ft"}, []any{6.0, "ft"}, []any{0.3047, "ft"},
		[]any{9.999, "m"})
	for i, got := range asked[[]any, string](p, "said", rows) {
		m := rows[i][0].(float64)
		off := length.InchM / 16
		switch {
		case rows[i][1] == "m" && m < 10:
			off = 0.005
		case rows[i][1] == "m":
			off = 0.05
		case m > 6:
			off = length.InchM / 2
		}
		back, err := length.Read(got)
		if m < off && err != nil { // shown as nothing at all
			continue
		}
		if err != nil || math.Abs(back-m) > off*(1+1e-9) {
			t.Errorf("%g m is shown as %q and read as %g, %v", m, got, back, err)
		}
	}
}

// document is a random one, with lists of things and of numbers in it.
func document(r *rand.Rand, depth int) map[string]any {
	out := map[string]any{}
	for _, name := range []string{"a", "b", "c", "d"}[:1+r.IntN(4)] {
		out[name] = value(r, depth)
	}
	return out
}

func value(r *rand.Rand, depth int) any {
	switch n := r.IntN(8); {
	case depth > 0 && n == 0:
		return document(r, depth-1)
	case depth > 0 && n <= 3:
		var list []any
		for _, id := range r.Perm(5)[:r.IntN(4)] {
			x := document(r, depth-1)
			x["id"] = fmt.Sprint("thing-", id)
			list = append(list, x)
		}
		return list
	case n == 4:
		return []any{float64(r.IntN(3)), float64(r.IntN(3))}[:r.IntN(3)]
	case n == 5:
		return r.IntN(2) == 0
	case n == 6:
		return []string{"", "x", "y"}[r.IntN(3)]
	}
	return float64(r.IntN(4))
}

// changed is another version of it: some parts are other ones, some are gone, some stand elsewhere.
func changed(r *rand.Rand, v any, depth int) any {
	switch x := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for _, k := range slices.Sorted(maps.Keys(x)) { // the same numbers make the same documents
			of := x[k]
			switch {
			case k == "id" || r.IntN(3) == 0:
				out[k] = of
			case r.IntN(8) > 0:
				out[k] = changed(r, of, depth-1)
			}
		}
		if r.IntN(3) == 0 {
			out["e"] = value(r, max(depth, 0))
		}
		return out
	case []any:
		out := []any{}
		for _, of := range x {
			if r.IntN(6) > 0 {
				out = append(out, changed(r, of, depth-1))
			}
		}
		if r.IntN(4) == 0 {
			r.Shuffle(len(out), func(i, k int) { out[i], out[k] = out[k], out[i] })
		}
		return out
	}
	if r.IntN(2) == 0 {
		return v
	}
	return value(r, 0)
}

// The fields in which the interface finds two versions of a document to differ, given to the one,
// make the other of it (core/amend): over random documents.
func TestFieldsThatDiffer(t *testing.T) {
	p := probe(t)
	r := rand.New(rand.NewPCG(26, 5))
	type pair [2]any
	var pairs []pair
	for range 3000 {
		was := document(r, 3)
		pairs = append(pairs, pair{was, changed(r, was, 3)})
	}
	got := make([]pair, len(pairs))
	for i, fields := range asked[pair, []amend.Field](p, "differs", pairs) {
		was := pairs[i][0].(map[string]any)
		for k := range fields {
			fields[k].Seen = 1
		}
		is, err := amend.Apply(&was, func(int64) (*map[string]any, error) { return &was, nil }, fields)
		if err != nil {
			t.Fatalf("%s\n%v: %v", text(pairs[i]), fields, err)
		}
		got[i] = pair{*is, pairs[i][1]}
	}
	for i, same := range asked[pair, bool](p, "same", got) {
		if !same {
			t.Fatalf("%s\nbecame %s", text(pairs[i]), text(got[i][0]))
		}
	}
}

func text(v any) string {
	b, _ := json.Marshal(v)
	return string(b)
}

// What came anew keeps the very objects of what did not change, and no others.
func TestKeepKeepsWhatIsTheSame(t *testing.T) {
	p := probe(t)
	r := rand.New(rand.NewPCG(26, 6))
	var pairs [][2]any
	for range 2000 {
		was := document(r, 3)
		pairs = append(pairs, [2]any{was, changed(r, was, 3)})
	}
	table, err := json.Marshal(pairs)
	if err != nil {
		t.Fatal(err)
	}
	wrong := eval[[]string](p, fmt.Sprintf(`(() => {
		const wrong = [], text = JSON.stringify;
		const alike = (a, b) => typeof a !== 'object' || typeof b !== 'object' || !a || !b ? a === b :
		Array.isArray(a) === Array.isArray(b) &&
		Object.keys(a).length === Object.keys(b).length && Object.keys(a).every((k) => k in b && alike(a[k], b[k]));
		const look = (was, now, got, at) => {
			if (typeof now !== 'object' || !now) return;
			const kept = typeof was === 'object' && !!was && alike(was, now);
			if (kept !== (got === was)) wrong.push(at + ' of ' + text(was) + ' and ' + text(now));
			for (const k of Object.keys(now)) look(was?.[k], now[k], got[k], at + '.' + k);
		};
		for (const [was, now] of %s) {
			const is = JSON.parse(text(now)), before = text(was), got = probe.keep(was, now);
			if (!alike(got, is) ||
			text(was) !== before) wrong.push(before + ' became ' + text(got) + ', want ' + text(is));
			look(was, is, got, '');
		}
		return wrong.slice(0, 5);
	})()`, table))
	for _, w := range wrong {
		t.Error(w)
	}
}

// Changes leave a window one after another, in their order, each once, over a network that is slow,
// fails and comes back; what is refused is said. A field that this window has changed itself was
// seen by it.
func TestOutboxSendsInOrder(t *testing.T) {
	p := probe(t)
	got := eval[struct {
		Came, Said []string
		Most       int
		Waiting    int
		Seen       []int64
		Answers    []string
	}](p, `(async () => {
		const came = [], seen = [];
		let at = 0, most = 0, version = 7, n = 0;
		window.net = async (r) => {
			most = Math.max(most, ++at);
			await new Promise((go) => setTimeout(go, n * 7 % 11));
			at--;
			const body = await r.json(), name = body.changes[0].at[0];
			n++;
			if (n === 3) throw new TypeError('cut off');
			if (n === 6) return new Response('{}', { status: 503 });
			came.push(name + '=' + body.changes[0].is);
			seen.push(body.changes[0].seen);
			if (name === 'refused') return new Response(JSON.stringify({ status: 409, detail: 'refused was changed',
			version: ++version }), { status: 409, headers: { 'Content-Type': 'application/problem+json' } });
			return new Response(JSON.stringify({ version: ++version }), { headers: {
			'Content-Type': 'application/json' } });
		};
		const box = probe.useOutbox(), all = [];
		for (const name of ['a', 'b', 'a', 'refused', 'c', 'b', 'a', 'd']) {
			all.push(box.amend('package', ['p'], [{ at: [name], is: all.length, seen: 5 }], {}));
			await new Promise((go) => setTimeout(go, 3));
		}
		const answers = (await Promise.all(all)).map((a) => (a.data ? 'made' : a.text));
		return { Came: came, Most: most, Waiting: box.count, Seen: seen, Said: box.refused.map((q) => q.text),
		Answers: answers };
	})()`)
	if want := "a=0 b=1 a=2 refused=3 c=4 b=5 a=6 d=7"; strings.Join(got.Came, " ") != want || got.Most != 1 ||
		got.Waiting != 0 {
		t.Errorf("%v, %d at once, %d wait; want %s", got.Came, got.Most, got.Waiting, want)
	}
	if want := "[5 5 8 5 5 9 10 5]"; fmt.Sprint(got.Seen) != want { // a is version 8, b 9, a again 10
		t.Errorf("seen in %v, want %s", got.Seen, want)
	}
	if len(got.Said) != 1 || !strings.Contains(got.Said[0], "Not kept (3)") ||
		strings.Count(strings.Join(got.Answers, " "), "made") != 7 {
		t.Errorf("said %q, answered %q", got.Said, got.Answers)
	}
}

// A form that is kept by a button: what was typed stays and is sent as it was seen, all else follows.
// Random typing, keeping and changes from elsewhere, against a flat model of the rule.
func TestDraftsKeepWhatWasTyped(t *testing.T) {
	p := probe(t)
	wrong := eval[[]string](p, `(async () => {
		let seed = 1;
		const below = (n) => ((seed = (seed * 48271) % 2147483647) % n), wrong = [];
		for (let round = 0; round < 300 && wrong.length === 0; round++) {
			const server = { a: '0', b: '0', c: '0' }, at = { a: 1, b: 1, c: 1 };
			let version = 1;
			const laid = probe.ref({ form: { ...server }, version: 1 });
			const draft = probe.useDraft(() => laid.value);
			const base = { ...server }, seen = { a: 1, b: 1, c: 1 }, shows = { ...server }, log = [];
			const lay = () => { for (const k in shows) if (shows[k] === base[k] || shows[k] === server[k]) [shows[k],
			base[k], seen[k]] = [server[k], server[k], version]; };
			for (let step = 0; step < 12; step++) {
				const k = 'abc'[below(3)], v = String(below(4));
				switch (below(4)) {
					case 0: case 1:
						log.push('type ' + k + v);
						draft.f.value[k] = shows[k] = v;
						break;
					case 2:
						log.push('elsewhere ' + k + v);
						version++;
						if (server[k] !== v) [server[k], at[k]] = [v, version];
						laid.value = { form: { ...server }, version };
						await probe.nextTick();
						lay();
						break;
					case 3: {
						const want = Object.keys(shows).filter((q) => shows[q] !== base[q]);
						let sent = [];
						const answer = await draft.keep((f) => ({ ...f }), async (changes) => {
							sent = changes;
							if (changes.some((c) => at[c.at[0]] > c.seen && server[c.at[0]] !== c.is)) return 'stale';
							version++;
							for (const c of changes) if (server[c.at[0]] !== c.is) [server[c.at[0]],
							at[c.at[0]]] = [c.is, version];
							laid.value = { form: { ...server }, version };
							await probe.nextTick();
							return 'kept';
						});
						log.push('keep ' + answer + ' ' + sent.map((c) => c.at[0] + c.is + '@' + c.seen).join());
						if (sent.map((c) => c.at[0]).sort().join() !== want.sort().join()) wrong.push('sent ' + `+
		`sent.map((c) => c.at[0]) + ', typed ' + want);
						for (const c of sent) if (c.seen !== seen[c.at[0]]) wrong.push(c.at[0] + ' was seen in ' + `+
		`seen[c.at[0]] + ', sent as ' + c.seen);
						for (const q of want) [base[q], seen[q]] = [server[q], version];
						// refused: what is there now was said
						lay();
					}
				}
				for (const q in shows) if (draft.f.value[q] !== shows[q]) wrong.push(q + ' shows ' + draft.f.value[q] `+
		`+ ', want ' + shows[q]);
				if (wrong.length > 0) { wrong.push(log.join('; ')); break; }
			}
		}
		return wrong;
	})()`)
	if len(wrong) > 0 {
		t.Error(strings.Join(wrong, "\n"))
	}
}
