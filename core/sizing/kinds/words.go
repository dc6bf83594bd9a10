package kinds

import (
	"math"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// noise are words of file names that say nothing about the thing.
var noise = set(`lod high low poly lowpoly highpoly mid hi lo final version ver new old copy model models mesh meshes geo geometry
obj object group grp node root scene default material mat mtl shader texture textures tex asset assets prop props sm sk pbr game ready
gameready download free sample test export exported import source src fbx gltf glb dae stl ply usd usda usdc usdz zip
part parts element item piece untitled noname the a an of and with for in on by von mit und der die das de la le les du el los las
una un une et con para per il lo gli da di left right front back top bottom upper lower l r fr fl rr rl main base small big large
medium mini tiny huge short long tall wide narrow thin thick modern vintage antique classic rustic industrial realistic stylized
stylised cartoon simple detailed red green blue white black grey gray brown yellow orange pink dark light wood wooden metal metallic
steel iron plastic leather fabric marble concrete stone glass set pack kit collection variant var type style clean dirty damaged
broken rusty worn painted open closed mm cm m in ft inch k px uv uvs low res hires hd color colour col surface`)

func set(s string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(s) {
		out[w] = true
	}
	return out
}

// special are letters that do not come apart into a letter and an accent.
var special = strings.NewReplacer("ß", "ss", "ł", "l", "Ł", "L", "ø", "o", "Ø", "O", "æ", "ae", "Æ", "AE", "œ", "oe",
	"đ", "d")

// fold writes a word in small letters without accents.
func fold(s string) string {
	var b strings.Builder
	for _, c := range norm.NFD.String(special.Replace(s)) {
		if !unicode.Is(unicode.Mn, c) {
			b.WriteRune(unicode.ToLower(c))
		}
	}
	return b.String()
}

// Tokens are the words of a name, in order, folded: "SM_DiningChair-02.obj"
// is sm, dining, chair, obj. Numbers are left out.
func Tokens(name string) (out []string) {
	var word []rune
	flush := func() {
		if len(word) > 0 {
			out = append(out, fold(string(word)))
			word = word[:0]
		}
	}
	runes := []rune(norm.NFC.String(name))
	for i, c := range runes {
		switch {
		case !unicode.IsLetter(c) && !unicode.Is(unicode.Mn, c):
			flush()
			continue
		case unicode.IsUpper(c) && len(word) > 0:
			// A new word begins at a capital after a small letter, and at the
			// last capital of several before a small one: HTTPServer.
			if !unicode.IsUpper(word[len(word)-1]) || i+1 < len(runes) && unicode.IsLower(runes[i+1]) {
				flush()
			}
		}
		word = append(word, c)
	}
	flush()
	return out
}

// Match is a kind that a name may mean.
type Match struct {
	Kind   *Kind
	Weight float64 // of all matches together 1
	Word   string  // that told
}

// entry is a word of the table.
type entry struct {
	kind int
	word string
}

type index struct {
	words     map[string][]entry // folded, the tokens joined by spaces, and joined by nothing
	skeletons map[string][]entry // consonants only
	longest   int                // tokens of a word
	sorted    []string           // the words of one token and four letters or more, for the ends of compounds
}

func build(words func(k *Kind) []string) *index {
	x := &index{words: map[string][]entry{}, skeletons: map[string][]entry{}}
	add := func(m map[string][]entry, key string, e entry) {
		if !slices.ContainsFunc(m[key], func(o entry) bool { return o.kind == e.kind }) {
			m[key] = append(m[key], e)
		}
	}
	for i := range All {
		for _, w := range words(&All[i]) {
			tokens := Tokens(w)
			x.longest = max(x.longest, len(tokens))
			e := entry{i, w}
			add(x.words, strings.Join(tokens, " "), e)
			add(x.words, strings.Join(tokens, ""), e)
			if s := skeleton(strings.Join(tokens, "")); len(tokens) == 1 && len(s) >= 3 {
				add(x.skeletons, s, e)
			}
			if len(tokens) == 1 && len(tokens[0]) >= 4 {
				x.sorted = append(x.sorted, tokens[0])
			}
		}
	}
	slices.Sort(x.sorted)
	x.sorted = slices.Compact(x.sorted)
	return x
}

func skeleton(w string) string {
	return strings.Map(func(c rune) rune {
		if strings.ContainsRune("aeiouy", c) {
			return -1
		}
		return c
	}, w)
}

var (
	names     = build(func(k *Kind) []string { return append([]string{k.Name}, k.Words...) })
	partWords = build(func(k *Kind) []string { return k.Parts })
)

// umlauts undoes the way in which file names write ä, ö and ü.
var umlauts = strings.NewReplacer("ae", "a", "oe", "o", "ue", "u")

// stem tries a word of a file name as it is, and without the endings of
// plurals; the table has its words without accents.
func (x *index) stem(w string) []entry {
	if e := x.words[w]; e != nil {
		return e
	}
	if plain := umlauts.Replace(w); plain != w {
		if e := x.stem(plain); e != nil {
			return e
		}
	}
	for _, end := range []string{"s", "es", "en", "n", "e", "er", "i"} {
		if base, ok := strings.CutSuffix(w, end); ok && len(base) >= 3 {
			if e := x.words[base]; e != nil {
				return e
			}
		}
	}
	return nil
}

// found is a word of the table in a name.
type found struct {
	entries  []entry
	from, to int // tokens
	sure     float64
}

// look finds the words of the table in a list of tokens.
func (x *index) look(tokens []string) (out []found) {
	taken := make([]bool, len(tokens))
	for n := min(x.longest, len(tokens)); n >= 1; n-- {
		for i := 0; i+n <= len(tokens); i++ {
			if slices.Contains(taken[i:i+n], true) {
				continue
			}
			e := x.stem(strings.Join(tokens[i:i+n], " "))
			if e == nil || n == 1 && noise[tokens[i]] &&
				!slices.ContainsFunc(e, func(e entry) bool { return All[e.kind].Name == tokens[i] }) {
				continue
			}
			for k := i; k < i+n; k++ {
				taken[k] = true
			}
			out = append(out, found{e, i, i + n, 1})
		}
	}
	for i, w := range tokens {
		if taken[i] || noise[w] {
			continue
		}
		if e := x.inexact(w); e != nil {
			out = append(out, found{e, i, i + 1, 0.4})
		}
	}
	return out
}

// inexact understands compounds by their last word, as in gartenstuhl, the
// starts of words, and words without their vowels.
func (x *index) inexact(w string) []entry {
	for from := 1; from+4 <= len(w); from++ {
		if e := x.stem(w[from:]); e != nil && len(w)-from >= 4 {
			return e
		}
	}
	if e := x.skeletons[w]; e != nil && len(w) >= 3 && skeleton(w) == w {
		return e
	}
	if len(w) >= 4 {
		if i, _ := slices.BinarySearch(x.sorted, w); i < len(x.sorted) && strings.HasPrefix(x.sorted[i], w) {
			return x.words[x.sorted[i]]
		}
	}
	return nil
}

// belittling are words of things that are not as large as what they show.
var belittling = set("toy miniature figurine dollhouse diorama souvenir spielzeug jouet juguete giocattolo")

// Recognise tells what a name may mean, the likeliest first, and how far that
// can be relied on, 0 to 1: nothing and 0 when no word of it is known. The last
// word counts most, as in English and German, and words of several tokens more
// than single ones.
func Recognise(name string) (out []Match, reliance float64) {
	tokens := Tokens(name)
	weight := map[int]Match{}
	last := len(tokens)
	for last > 0 && noise[tokens[last-1]] && names.words[tokens[last-1]] == nil {
		last--
	}
	sum := 0.0
	for _, f := range names.look(tokens) {
		w, rely := f.sure*float64(int(1)<<(2*(f.to-f.from-1))), 0.55+0.3*f.sure
		if f.to >= last {
			w *= 3
			rely += 0.08
		} else if partWords.stem(tokens[f.to]) != nil && names.stem(tokens[f.to]) == nil {
			w *= 0.3 // "door handle" is no door
			rely *= 0.4
		}
		reliance = max(reliance, rely)
		for _, e := range f.entries {
			share := w / float64(len(f.entries))
			if fold(All[e.kind].Name) == fold(e.word) {
				share *= 2 // what bears the name itself
			}
			m := weight[e.kind]
			if m.Weight == 0 {
				m = Match{Kind: &All[e.kind], Word: strings.Join(tokens[f.from:f.to], " ")}
			}
			m.Weight += share
			sum += share
			weight[e.kind] = m
		}
	}
	for _, m := range weight {
		m.Weight /= sum
		out = append(out, m)
	}
	slices.SortFunc(out, byWeight)
	if slices.ContainsFunc(tokens, func(w string) bool { return belittling[w] }) {
		reliance *= 0.4
	}
	return out, reliance
}

func byWeight(a, b Match) int {
	switch {
	case a.Weight > b.Weight:
		return -1
	case a.Weight < b.Weight:
		return 1
	}
	return strings.Compare(a.Kind.Name, b.Kind.Name)
}

// FromParts tells what a thing may be by what its parts are called, the
// likeliest first: a part that few kinds have tells more than one that many
// have.
func FromParts(list []string) []Match {
	score, word := map[int]float64{}, map[int][]string{}
	seen := map[string]bool{}
	for _, name := range list {
		tokens := Tokens(name)
		for _, f := range partWords.look(tokens) {
			w := strings.Join(tokens[f.from:f.to], " ")
			if seen[w] {
				continue
			}
			seen[w] = true
			for _, e := range f.entries {
				score[e.kind] += f.sure * rarity(len(f.entries))
				word[e.kind] = append(word[e.kind], w)
			}
		}
	}
	best := 0.0
	for _, s := range score {
		best = max(best, s)
	}
	var out []Match
	sum := 0.0
	for k, s := range score {
		if s < best-6 {
			continue
		}
		m := Match{Kind: &All[k], Weight: math.Exp2(s - best), Word: strings.Join(word[k], ", ")}
		if m.Kind.Common {
			m.Weight *= 2
		}
		sum += m.Weight
		out = append(out, m)
	}
	for i := range out {
		out[i].Weight /= sum
	}
	slices.SortFunc(out, byWeight)
	return out
}

// bending are the kinds that wind bends.
var bending = map[string]bool{"tree": true, "conifer": true, "sapling": true, "bush": true, "hedge": true, "grass": true,
	"flower": true, "fern": true, "houseplant": true, "ivy": true}

// Bends says whether what has a name is most likely a plant that wind bends.
func Bends(name string) bool {
	found, reliance := Recognise(name)
	return reliance >= 0.5 && len(found) > 0 && bending[found[0].Kind.Name]
}
