package expr

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"cel.dev/cel-go/parser"
)

// Code writes the form as the expression it is. A form that cannot be written
// gives an error that says which part of it is wrong.
func (f Form) Code() (string, error) {
	if f.Is == FormCode {
		return f.Text, nil
	}
	source, err := f.write()
	if err != nil {
		return "", err
	}
	parsed := plainly(source)()
	if parsed == nil { // code somebody has not finished writing
		return source, nil
	}
	clean, err := parser.Unparse(parsed.Expr(), parsed.SourceInfo())
	if err != nil {
		return source, nil
	}
	return clean, nil
}

// write writes a form, its parts in brackets where they could run together.
func (f Form) write() (string, error) {
	switch f.Is {
	case FormValue:
		return writePath(f.Path)
	case FormLiteral:
		return writeLiteral(f.Value)
	case FormCode:
		return "(" + f.Text + ")", nil
	case FormCompare:
		return f.writeCompare()
	case FormAll:
		return f.between(" && ", "true")
	case FormAny:
		return f.between(" || ", "false")
	case FormNot:
		return f.filled("!(%s)", 1)
	case FormReckon:
		if !strings.Contains("+-*/%", f.Name) || len(f.Name) != 1 {
			return "", fmt.Errorf("%q is no sign to reckon with", f.Name)
		}
		return f.filled("(%s "+strings.ReplaceAll(f.Name, "%", "%%")+" %s)", 2)
	case FormChoose:
		return f.filled("(%s ? %s : %s)", 3)
	case FormList:
		inner, err := f.between(", ", "")
		return "[" + strings.TrimSuffix(strings.TrimPrefix(inner, "("), ")") + "]", err
	case FormMap:
		return f.writeMap()
	case FormLink:
		return f.writeLink()
	}
	return "", fmt.Errorf("there is no form %q", f.Is)
}

// written writes the parts of a form.
func (f Form) written() ([]string, error) {
	out := make([]string, len(f.Of))
	for i, part := range f.Of {
		var err error
		if out[i], err = part.write(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (f Form) between(separator, none string) (string, error) {
	parts, err := f.written()
	if err != nil || len(parts) == 0 {
		return none, err
	}
	return "(" + strings.Join(parts, separator) + ")", nil
}

func (f Form) filled(with string, count int) (string, error) {
	parts, err := f.written()
	if err != nil {
		return "", err
	}
	if len(parts) != count {
		return "", fmt.Errorf("%s %s is of %d parts, and has %d", f.Is, f.Name, count, len(parts))
	}
	all := make([]any, count)
	for i, p := range parts {
		all[i] = p
	}
	return fmt.Sprintf(with, all...), nil
}

func (f Form) writeCompare() (string, error) {
	for _, c := range Comparisons {
		if c.Name == f.Name {
			return f.filled("("+c.code+")", strings.Count(c.code, "%s"))
		}
	}
	return "", fmt.Errorf("nothing compares as %q", f.Name)
}

func (f Form) writeMap() (string, error) {
	parts, err := f.written()
	if err != nil {
		return "", err
	}
	if len(parts) != len(f.Keys) {
		return "", fmt.Errorf("a map of %d names has %d values", len(f.Keys), len(parts))
	}
	for i, key := range f.Keys {
		parts[i] = strconv.Quote(key) + ": " + parts[i]
	}
	return "{" + strings.Join(parts, ", ") + "}", nil
}

func (f Form) writeLink() (string, error) {
	for _, l := range Links {
		if l.Name != f.Name {
			continue
		}
		parts, err := f.written()
		if err != nil {
			return "", err
		}
		if len(parts) != len(l.Takes)+1 {
			return "", fmt.Errorf("the link %s takes %d values beside the one it works on, and has %d", l.Name,
				len(l.Takes), len(parts)-1)
		}
		args := parts[1:]
		if l.from != nil {
			args = append([]string{"0"}, args...)
		}
		if l.item {
			if !name.MatchString(f.As) {
				return "", fmt.Errorf("%q cannot name one item", f.As)
			}
			args = append([]string{f.As}, args...)
		}
		if l.member {
			return parts[0] + "." + l.function + "(" + strings.Join(args, ", ") + ")", nil
		}
		return l.function + "(" + strings.Join(append(parts[:1:1], args...), ", ") + ")", nil
	}
	return "", fmt.Errorf("there is no link %q", f.Name)
}

var name = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

func writePath(path []string) (string, error) {
	if len(path) == 0 || !name.MatchString(path[0]) {
		return "", fmt.Errorf("a value has a name, and %q is none", strings.Join(path, "."))
	}
	out := path[0]
	for _, p := range path[1:] {
		if name.MatchString(p) {
			out += "." + p
		} else {
			out += "[" + strconv.Quote(p) + "]"
		}
	}
	return out, nil
}

func writeLiteral(v any) (string, error) {
	switch v := Canonical(v).(type) {
	case nil:
		return "null", nil
	case bool:
		return strconv.FormatBool(v), nil
	case int64:
		return strconv.FormatInt(v, 10), nil
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64), nil
	case string:
		return strconv.Quote(v), nil
	}
	return "", fmt.Errorf("%v is a %s, and no plain value", v, Kind(v))
}
