// Points measures how well point lights are found in a photo of which the lights are known:
//
//	go run ./scripts/points [-json] PHOTO LIGHTS.json
//
// It prints precision and recall at the threshold that the page begins with and at the best one,
// for lights and for bulbs that are not lit. LIGHTS.json lists lamps, far_lights and dead_bulbs,
// each with px, radius_px and visible_fraction. What is at least 2 px in radius and seen by three
// tenths is to be found, within the larger of 3 px and its radius; what is smaller or more hidden
// counts neither way; all else is false, and so is a second point on one light.
package main

import (
	"cmp"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"math"
	"os"
	"slices"

	"pyrant/internal/base/codec"
	"pyrant/internal/vision/pointlight"
)

// known is a light that is known.
type known struct {
	ID      string      `json:"id"`
	PX      *[2]float64 `json:"px"`
	Radius  float64     `json:"radius_px"`
	Visible *float64    `json:"visible_fraction"`
}

// counts tells whether it is to be found.
func (k *known) counts() bool { return k.Radius >= 2 && (k.Visible == nil || *k.Visible >= 0.3) }

type scene struct {
	Width int     `json:"width"`
	Lamps []known `json:"lamps"`
	Far   []known `json:"far_lights"`
	Dead  []known `json:"dead_bulbs"`
}

// score is how much of what was found is right, and how much of what there is was found.
type score struct {
	Precision float64 `json:"precision"`
	Recall    float64 `json:"recall"`
}

type best struct {
	score
	Threshold float64 `json:"threshold"`
}

type result struct {
	Default score `json:"default"`
	Best    best  `json:"best"`
	Dead    struct {
		Default score `json:"default"`
		Best    best  `json:"best"`
	} `json:"dead"`
}

func main() {
	log.SetFlags(0)
	asJSON := flag.Bool("json", false, "print JSON")
	list := flag.Bool("list", false, "also list what is false and what is missed")
	flag.Parse()
	if flag.NArg() != 2 {
		log.Fatal("usage: points [-json] PHOTO LIGHTS.json")
	}
	out, err := measure(flag.Arg(0), flag.Arg(1), *list)
	if err != nil {
		log.Fatal(err)
	}
	if *asJSON {
		e := json.NewEncoder(os.Stdout)
		e.SetIndent("", " ")
		if err := e.Encode(out); err != nil {
			log.Fatal(err)
		}
		return
	}
	show := func(name string, d score, b best) {
		fmt.Printf("%-7s precision %.3f recall %.3f; at the best threshold, %.2f, %.3f and %.3f\n", name, d.Precision, d.Recall, b.Threshold, b.Precision, b.Recall)
	}
	show("lights", out.Default, out.Best)
	show("dead", out.Dead.Default, out.Dead.Best)
}

func measure(photo, lights string, list bool) (*result, error) {
	b, err := os.ReadFile(photo)
	if err != nil {
		return nil, err
	}
	p, err := codec.Open(context.Background(), b)
	if err != nil {
		return nil, err
	}
	if b, err = os.ReadFile(lights); err != nil {
		return nil, err
	}
	var s scene
	if err := json.Unmarshal(b, &s); err != nil {
		return nil, fmt.Errorf("%s: %w", lights, err)
	}
	k := 1.0
	if s.Width > 0 {
		k = float64(s.Width) / float64(p.Width)
	}
	var out result
	for _, of := range []struct {
		kind   pointlight.Kind
		truth  []known
		first  *score
		better *best
	}{
		{pointlight.Lit, append(slices.Clone(s.Lamps), s.Far...), &out.Default, &out.Best},
		{pointlight.Dead, s.Dead, &out.Dead.Default, &out.Dead.Best},
	} {
		found, _, err := pointlight.Find(context.Background(), p, of.kind)
		if err != nil {
			return nil, err
		}
		for i := range found { // as the truth has them
			found[i].X, found[i].Y = found[i].X*k, found[i].Y*k
		}
		truth := slices.DeleteFunc(of.truth, func(k known) bool { return k.PX == nil })
		at := func(threshold float64) score {
			n, _ := slices.BinarySearchFunc(found, threshold,
				func(p pointlight.Point, t float64) int { return -cmp.Compare(p.Sure, t) })
			for n < len(found) && found[n].Sure >= threshold {
				n++
			}
			return compare(found[:n], truth, list && threshold == pointlight.Threshold)
		}
		*of.first = at(pointlight.Threshold)
		most := -1.0
		for i := 2; i < 100; i++ {
			t := float64(i) / 100
			c := at(t)
			if f := 2 * c.Precision * c.Recall / math.Max(c.Precision+c.Recall, 1e-9); f > most {
				most, *of.better = f, best{c, t}
			}
		}
	}
	return &out, nil
}

// compare matches what was found, the surest first, with what is known.
func compare(found []pointlight.Point, truth []known, list bool) score {
	taken := make([]bool, len(truth))
	right, wrong := 0, 0
	for _, p := range found {
		near, least := -1, math.Inf(1)
		for i := range truth {
			t := &truth[i]
			if d := math.Hypot(p.X-t.PX[0], p.Y-t.PX[1]); d <= math.Max(3, t.Radius) &&
				(d < least && !taken[i]) {
				near, least = i, d
			}
		}
		switch {
		case near < 0:
			wrong++
			if list {
				fmt.Printf("false  %.0f, %.0f radius %.1f sure %.2f\n", p.X, p.Y, p.Radius, p.Sure)
			}
		case truth[near].counts():
			taken[near] = true
			right++
		default:
			taken[near] = true
		}
	}
	all := 0
	for i := range truth {
		if truth[i].counts() {
			all++
			if list && !taken[i] {
				fmt.Printf("missed %s at %.0f, %.0f radius %.1f\n", truth[i].ID, truth[i].PX[0], truth[i].PX[1], truth[i].Radius)
			}
		}
	}
	c := score{Precision: 1, Recall: 1}
	if right+wrong > 0 {
		c.Precision = float64(right) / float64(right+wrong)
	}
	if all > 0 {
		c.Recall = float64(right) / float64(all)
	}
	return c
}
