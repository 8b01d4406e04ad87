package words_test

import (
	"fmt"
	"time"

	"cirque/core/words"
)

// Numbers and spans of time as they stand in sentences.
func Example() {
	fmt.Println(words.Count(1, "queue"), "of", words.Count(3, "queue"))
	fmt.Println(words.Count(2, "address"), words.Count(5, "person", "people"))
	fmt.Println(words.Span(90*time.Minute), words.Span(26*time.Hour))
	// Output:
	// 1 queue of 3 queues
	// 2 addresses 5 people
	// 1 h 30 min 26 h
}
