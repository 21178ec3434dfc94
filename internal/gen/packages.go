package gen

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"slices"
	"strings"
)

// module begins the import path of every package of the project.
const module = "rolltop.example/rolltop/"

// room is a package in the picture.
type room struct {
	name    string
	imports []*room // those that no import of these has already
	floor   int     // above all that it imports, below all that import it
	at      float64 // its place on the floor, in widths of the picture
}

// Packages is a picture of the packages that the two programs consist of, as SVG: whatever a
// package imports stands below it.
func Packages() ([]byte, error) {
	out, err := exec.Command("go", "list", "-deps", "-json=ImportPath,Imports", module+"cmd/...").Output()
	if err != nil {
		return nil, err
	}
	rooms := map[string]*room{}
	imports := map[string][]string{}
	for dec := json.NewDecoder(bytes.NewReader(out)); ; {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := dec.Decode(&p); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return nil, err
		}
		if name, ok := strings.CutPrefix(p.ImportPath, module); ok {
			rooms[name] = &room{name: name}
			imports[name] = p.Imports
		}
	}
	for name, list := range imports {
		for _, path := range list {
			if to := rooms[strings.TrimPrefix(path, module)]; to != nil {
				rooms[name].imports = append(rooms[name].imports, to)
			}
		}
	}
	return draw(floors(rooms)), nil
}

// floors puts packages on floors and leaves out the arrows that follow from others.
func floors(rooms map[string]*room) [][]*room {
	below := map[*room]map[*room]bool{}
	var reach func(r *room) map[*room]bool
	reach = func(r *room) map[*room]bool {
		if below[r] != nil {
			return below[r]
		}
		all := map[*room]bool{}
		below[r] = all
		for _, to := range r.imports {
			all[to] = true
			for deeper := range reach(to) {
				all[deeper] = true
			}
			r.floor = max(r.floor, to.floor+1)
		}
		return all
	}
	for _, r := range rooms {
		reach(r)
	}
	for _, r := range rooms {
		r.imports = slices.DeleteFunc(slices.Clone(r.imports), func(to *room) bool {
			return slices.ContainsFunc(r.imports, func(other *room) bool { return other != to && below[other][to] })
		})
		slices.SortFunc(r.imports, func(a, b *room) int { return cmp.Compare(a.name, b.name) })
	}
	raise(rooms)
	var out [][]*room
	for _, r := range rooms {
		for len(out) <= r.floor {
			out = append(out, nil)
		}
		out[r.floor] = append(out[r.floor], r)
	}
	arrange(out)
	return out
}

// raise puts every package right below the lowest of those that import it.
func raise(rooms map[string]*room) {
	all := make([]*room, 0, len(rooms))
	for _, r := range rooms {
		all = append(all, r)
	}
	slices.SortFunc(all, func(a, b *room) int { return b.floor - a.floor })
	lowest := map[*room]int{}
	for _, r := range all { // who imports a package stands above it, and has its floor already
		if floor, imported := lowest[r]; imported {
			r.floor = floor - 1
		}
		for _, to := range r.imports {
			if floor, seen := lowest[to]; !seen || r.floor < floor {
				lowest[to] = r.floor
			}
		}
	}
}

// arrange orders each floor so that packages stand near those that they import, and those that
// import them. It always comes to the same order.
func arrange(floors [][]*room) {
	spread := func(floor []*room) {
		for i, r := range floor {
			r.at = (float64(i) + 0.5) / float64(len(floor))
		}
	}
	importers := map[*room][]*room{}
	for _, floor := range floors {
		slices.SortFunc(floor, func(a, b *room) int { return cmp.Compare(a.name, b.name) })
		spread(floor)
		for _, r := range floor {
			for _, to := range r.imports {
				importers[to] = append(importers[to], r)
			}
		}
	}
	for range 12 {
		for _, floor := range floors {
			want := map[*room]float64{}
			for _, r := range floor {
				sum, n := 0.0, 0
				for _, near := range slices.Concat(r.imports, importers[r]) {
					sum, n = sum+near.at, n+1
				}
				if want[r] = r.at; n > 0 {
					want[r] = sum / float64(n)
				}
			}
			slices.SortStableFunc(floor, func(a, b *room) int {
				return cmp.Or(cmp.Compare(want[a], want[b]), cmp.Compare(a.name, b.name))
			})
			spread(floor)
		}
	}
}

// Measures of the picture, in pixels.
const (
	pictureWidth = 1240
	floorHeight  = 58
	roomHeight   = 24
	margin       = 20
	letterWidth  = 6.4
)

// draw draws floors, the highest at the top.
func draw(floors [][]*room) []byte {
	height := len(floors)*floorHeight + 2*margin
	x := func(r *room) float64 { return margin + r.at*(pictureWidth-2*margin) }
	y := func(r *room) int { return margin + (len(floors)-1-r.floor)*floorHeight }
	var b bytes.Buffer
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %d %d">`+"\n",
		pictureWidth, height, pictureWidth, height)
	b.WriteString(`<title>Packages of Rolltop: what a package imports stands below it</title>
<style>
text { font: 11px sans-serif; text-anchor: middle; fill: #1c2a30 }
rect { stroke: #4d5e66; rx: 4px }
.core { fill: #dcecea } .internal { fill: #f4ead6 } .cmd, .web { fill: #e9e4d7 }
path { fill: none; stroke: #8a979d; stroke-width: 0.8 }
</style>
`)
	fmt.Fprintf(&b, `<rect width="%d" height="%d" fill="#fffdf8" stroke="none"/>`+"\n", pictureWidth, height)
	for _, floor := range floors {
		for _, r := range floor {
			for _, to := range r.imports {
				from, down := y(r)+roomHeight, y(to)
				fmt.Fprintf(&b, `<path d="M%.0f %dC%.0f %d %.0f %d %.0f %d"/>`+"\n",
					x(r), from, x(r), (from+down)/2, x(to), (from+down)/2, x(to), down)
			}
		}
	}
	for _, floor := range slices.Backward(floors) {
		for _, r := range floor {
			area, label, _ := strings.Cut(r.name, "/")
			label = cmp.Or(label, area)
			width := letterWidth*float64(len(label)) + 10
			fmt.Fprintf(
				&b,
				`<rect class="%s" x="%.0f" y="%d" width="%.0f" height="%d"/>`,
				area,
				x(r)-width/2,
				y(r),
				width,
				roomHeight,
			)
			fmt.Fprintf(&b, `<text x="%.0f" y="%d">%s</text>`+"\n", x(r), y(r)+roomHeight-8, label)
		}
	}
	b.WriteString("</svg>\n")
	return b.Bytes()
}
