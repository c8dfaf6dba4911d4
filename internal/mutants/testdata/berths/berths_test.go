package berths

import "testing"

func TestFree(t *testing.T) {
	berths := []int{80, 90, 100}
	free, err := Free(berths, map[int]bool{90: true}, 85)
	if err != nil || len(free) != 1 || free[0] != 100 || berths[0] != 80 {
		t.Fatal(free, err, berths)
	}
	if _, err := Free(berths, nil, 0); err == nil {
		t.Fatal("no length")
	}
}

func TestEnds(t *testing.T) {
	if first, last := Ends([]int{3, 3}); first != 3 || last != 3 {
		t.Fatal(first, last)
	}
	if Length(Ferry) != 90 {
		t.Fatal(Length(Ferry))
	}
}
