package testkit

// ShellWords divides a line into words as a shell does, as far as examples of commands go: by blanks outside quotes.
func ShellWords(line string) []string {
	var out []string
	word, open, any := "", rune(0), false
	for _, r := range line {
		switch {
		case open == 0 && (r == '"' || r == '\''):
			open, any = r, true
		case r == open:
			open = 0
		case r == ' ' && open == 0:
			if word != "" || any {
				out = append(out, word)
			}
			word, any = "", false
		default:
			word += string(r)
		}
	}
	if word != "" || any {
		out = append(out, word)
	}
	return out
}
