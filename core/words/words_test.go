package words_test

import (
	"fmt"
	"testing"
	"time"

	"cirque/core/words"
)

func TestCount(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		n    int
		one  string
		many []string
		want string
	}{
		{0, "queue", nil, "0 queues"}, {1, "queue", nil, "1 queue"}, {2, "queue", nil, "2 queues"},
		{2, "person", nil, "2 people"}, {1, "person", nil, "1 person"}, {3, "address", nil, "3 addresses"},
		{2, "match", nil, "2 matches"}, {2, "entry", nil, "2 entries"}, {2, "day", nil, "2 days"}, {2, "box", nil, "2 boxes"},
		{2, "job waits", []string{"jobs wait"}, "2 jobs wait"}, {1, "job waits", []string{"jobs wait"}, "1 job waits"},
		{2, "y", nil, "2 ys"},
	} {
		if got := words.Count(c.n, c.one, c.many...); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}

func ExampleSpan() {
	fmt.Println(words.Span(119 * time.Minute))
	fmt.Println(words.Span(40 * time.Second))
	// Output:
	// 1 h 59 min
	// 40 s
}

func TestSize(t *testing.T) {
	t.Parallel()
	for n, want := range map[int64]string{0: "0 B", 10239: "10239 B", 10240: "10 KiB", 10<<20 - 1: "10239 KiB", 10 << 20: "10 MiB",
		10<<30 - 1: "10239 MiB", 64 << 30: "64 GiB"} {
		if got := words.Size(n); got != want {
			t.Errorf("%d: %q, not %q", n, got, want)
		}
	}
}
