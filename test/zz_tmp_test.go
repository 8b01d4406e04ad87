package test

import "testing"

func TestZZ(t *testing.T) {
	p := signedIn(t)
	p.goTo("/lineup?user=mira.solvang&machine=till-07")
	p.see("Taken")
	p.picture("/tmp/shots/lineup.png")
	p.goTo("/lineup?user=mira.solvnag&machine=desk-112&why=cheques")
	p.see("did you mean")
	p.see("smallest")
	p.picture("/tmp/shots/lineup2.png")
	p.goTo("/queues?queue=quay-old")
	p.see("Delivered to nobody")
	p.picture("/tmp/shots/queue.png")
}
