// Package maker knows who makes a device from the first digits of its MAC
// address: by the registry of the IEEE (MA-L, MA-M, MA-S), and before that by
// the user's own list.
package maker

import (
	"bufio"
	"bytes"
	"cmp"
	"compress/gzip"
	_ "embed"
	"encoding/binary"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"

	"vestpin/core/site"
)

// The registry as it was published, made compact by Build.
//
//go:embed registry.gz
var shipped []byte

// Shipped is the registry that comes with the program.
var Shipped = sync.OnceValue(func() *Registry {
	r, err := Read(bytes.NewReader(shipped))
	if err != nil {
		panic(err) // the program was built without its data
	}
	return r
})

// Registry finds makers. The zero Registry knows none.
type Registry struct {
	lists [3]list // of 36, 28 and 24 bits: the longest prefix counts
	names []string
}

type list struct {
	prefixes []uint64
	names    []uint32
}

// bits are the lengths of the prefixes of MA-S, MA-M and MA-L.
var bits = [3]int{36, 28, 24}

// Len is how many prefixes there are.
func (r *Registry) Len() int {
	n := 0
	for _, l := range r.lists {
		n += len(l.prefixes)
	}
	return n
}

// Find gives the maker of a MAC address, "" if nobody is known.
func (r *Registry) Find(m site.MAC) string {
	if len(m) != 17 || m.Randomised() {
		return ""
	}
	n := number(m)
	for i, l := range r.lists {
		if at, ok := slices.BinarySearch(l.prefixes, n>>(48-bits[i])); ok {
			return r.names[l.names[at]]
		}
	}
	return ""
}

func number(m site.MAC) (n uint64) {
	for i := range len(m) {
		c := m[i]
		switch {
		case c >= '0' && c <= '9':
			n = n<<4 | uint64(c-'0')
		case c >= 'a' && c <= 'f':
			n = n<<4 | uint64(c-'a'+10)
		}
	}
	return n
}

// Own finds the maker of a MAC address in the user's own list, where the longest
// prefix counts.
func Own(makers []site.Maker, m site.MAC) string {
	digits := strings.ReplaceAll(string(m), ":", "")
	best, name := 0, ""
	for _, o := range makers {
		if d := o.Digits(); len(d) > best && strings.HasPrefix(digits, d) {
			best, name = len(d), o.Name
		}
	}
	return name
}

// The compact form, in gzip: a line of its own, the names, one a line, an empty
// line; then for each length how many prefixes, and for each the distance to the
// one before and the number of its name, as varints (encoding/binary).
const magic = "vestpin-makers/1"

// ErrNotMakers says that a file is none that Build made.
var ErrNotMakers = errors.New("this is no list of makers: make one with \"vestpin makers\" from the IEEE's CSV files")

// mostNames bounds what is read of a file that may be hostile.
const mostNames = 1 << 20

// Read reads the compact form.
func Read(in io.Reader) (*Registry, error) {
	z, err := gzip.NewReader(in)
	if err != nil {
		return nil, ErrNotMakers
	}
	b := bufio.NewReader(io.LimitReader(z, 64<<20))
	line := func() string {
		text, _ := b.ReadString('\n')
		return strings.TrimSuffix(text, "\n")
	}
	if line() != magic {
		return nil, ErrNotMakers
	}
	var r Registry
	for name := line(); name != ""; name = line() {
		if len(r.names) == mostNames {
			return nil, ErrNotMakers
		}
		r.names = append(r.names, name)
	}
	for i := range r.lists {
		count, err := binary.ReadUvarint(b)
		if err != nil || count > mostNames {
			return nil, ErrNotMakers
		}
		at := uint64(0)
		for range count {
			step, err1 := binary.ReadUvarint(b)
			name, err2 := binary.ReadUvarint(b)
			if err1 != nil || err2 != nil || name >= uint64(len(r.names)) {
				return nil, ErrNotMakers
			}
			at += step
			r.lists[i].prefixes = append(r.lists[i].prefixes, at)
			r.lists[i].names = append(r.lists[i].names, uint32(name))
		}
	}
	return &r, nil
}

// entry is one line of the registry.
type entry struct {
	digits string
	name   string
}

// Build makes the compact form of the IEEE's CSV files: registry, assignment,
// organisation, address. It tells how many prefixes there are.
func Build(out io.Writer, files ...io.Reader) (int, error) {
	byDigits := map[string]string{}
	for i, f := range files {
		c := csv.NewReader(f)
		c.FieldsPerRecord, c.LazyQuotes = -1, true
		for line := 1; ; line++ {
			row, err := c.Read()
			if err == io.EOF {
				break
			}
			if err != nil {
				return 0, fmt.Errorf("file %d: %w", i+1, err)
			}
			if line == 1 && strings.EqualFold(row[0], "registry") {
				continue
			}
			if len(row) < 3 || !slices.Contains([]int{6, 7, 9}, len(row[1])) || strings.Trim(row[1], "0123456789ABCDEFabcdef") != "" {
				return 0, fmt.Errorf("file %d, line %d: want the IEEE's columns: registry, assignment of 6, 7 or 9 hexadecimal digits, organisation", i+1, line)
			}
			name := strings.Join(strings.Fields(row[2]), " ")
			if name != "" && name != "IEEE Registration Authority" && name != "Private" {
				byDigits[strings.ToLower(row[1])] = name
			}
		}
	}
	return len(byDigits), write(out, byDigits)
}

func write(out io.Writer, byDigits map[string]string) error {
	var all []entry
	number := map[string]uint64{}
	for digits, name := range byDigits {
		all = append(all, entry{digits, name})
		number[name] = 0
	}
	slices.SortFunc(all, func(a, b entry) int { return strings.Compare(a.digits, b.digits) })
	z, err := gzip.NewWriterLevel(out, gzip.BestCompression)
	if err != nil {
		return err
	}
	b := bufio.NewWriter(z)
	b.WriteString(magic + "\n")
	names := make([]string, 0, len(number))
	for name := range number {
		names = append(names, name)
	}
	slices.SortFunc(names, cmp.Compare[string])
	for i, name := range names {
		number[name] = uint64(i)
		b.WriteString(name + "\n")
	}
	b.WriteString("\n")
	var v []byte
	for _, width := range bits {
		own := slices.DeleteFunc(slices.Clone(all), func(e entry) bool { return len(e.digits)*4 != width })
		v = binary.AppendUvarint(v, uint64(len(own)))
		last := uint64(0)
		for _, e := range own {
			n, _ := strconv.ParseUint(e.digits, 16, 64)
			v = binary.AppendUvarint(binary.AppendUvarint(v, n-last), number[e.name])
			last = n
		}
	}
	b.Write(v)
	return errors.Join(b.Flush(), z.Close())
}
