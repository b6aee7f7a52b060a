package read

import (
	"fmt"
	"slices"

	"vestpin/read/grid"
)

// ask tells what a list leaves open, with what each reading of its first row would mean.
func (r *reader) ask(t grid.Table, reading grid.Reading, shape string) {
	if len(r.out.Questions) == MostLists || slices.ContainsFunc(r.out.Questions, func(q ListQuestion) bool { return q.Shape == shape }) {
		return
	}
	add := func(says string, answers []ListReading) {
		r.out.Questions = append(r.out.Questions, ListQuestion{Source: r.source, Line: r.lineOf(t.Rows[0].Line), Shape: shape, Says: says, Readings: answers})
	}
	with := func(columns []int, roles []grid.Role) []grid.Role {
		out := slices.Clone(reading.Roles)
		for k, c := range columns {
			out[c] = roles[k]
		}
		return out
	}
	column := func(c int) string {
		if c < len(reading.Head) && reading.Head[c] != "" {
			return reading.Head[c]
		}
		return fmt.Sprintf("column %d", c+1)
	}
	cells := reading.Cells(t.Rows[0])
	for _, q := range reading.Questions {
		var answers []ListReading
		if len(q.Roles) > 0 && q.Roles[0][0] == grid.PortCount {
			c := q.Columns[0]
			add("Does “"+column(c)+"” say how many ports there are?", []ListReading{
				{"yes, so many ports", fmt.Sprintf("The first line is of %s ports in a row.", cut(cells[c])), with(q.Columns, q.Roles[0])},
				{"no, something else", "Each line is of the ports that it names.", with(q.Columns, q.Roles[1])},
			})
			continue
		}
		for _, roles := range q.Roles {
			out, in := q.Columns[slices.Index(roles, grid.Outside)], q.Columns[slices.Index(roles, grid.Inside)]
			answers = append(answers, ListReading{column(out) + " is outside", fmt.Sprintf("%s outside goes to %s on the device.", cells[out], cells[in]), with(q.Columns, roles)})
		}
		if len(q.Roles) > 0 {
			add("Which column holds the outside ports?", answers)
			continue
		}
		for _, word := range q.Words {
			answers = append(answers, ListReading{fmt.Sprintf("“%s” is on", cut(word)), fmt.Sprintf("All lines that say “%s” are on, all others off.", cut(word)), with(q.Columns, []grid.Role{grid.Role(grid.OnIs + word)})})
		}
		if q.Words[0] == "" {
			add("Which lines are on? “"+column(q.Columns[0])+"” has nothing to read in it.", []ListReading{{"all are on", "All lines are on.", with(q.Columns, []grid.Role{grid.Role(grid.OnIs)})}})
			continue
		}
		add("Which lines are on? The words in “"+column(q.Columns[0])+"” are not known.", answers)
	}
	if len(reading.Ask) > 0 {
		var answers []ListReading
		for _, c := range reading.Ask {
			roles := slices.Clone(reading.Roles)
			for k, role := range roles {
				if role == grid.Name {
					roles[k] = grid.None
				}
			}
			roles[c] = grid.Name
			answers = append(answers, ListReading{column(c), fmt.Sprintf("The first is called “%s”.", cut(cells[c])), roles})
		}
		add("Which column is the name?", answers)
	}
}
