package console_test

import (
	"strings"
	"testing"
	"time"
)

// setFormula is what becomes of a formula: whether it is one, how large it is on a
// page, in pixels, and how many signs it has.
func setFormula(t *testing.T, tex string) (set bool, width, height float64, signs int) {
	t.Helper()
	got := eval[[]float64](t, `
		const c = document.createElement("code");
		c.dataset.tex = "display"; c.textContent = a[0];
		const html = logic.typeset("<p>" + c.outerHTML + "</p>");
		const d = document.createElement("div");
		d.innerHTML = html; document.body.append(d);
		const m = d.querySelector("math"), box = (m ?? d).getBoundingClientRect();
		d.remove();
		return [m ? 1 : 0, box.width, box.height, html.length]`, tex)
	return got[0] == 1, got[1], got[2], int(got[3])
}

// Formulas that would fill the page, or the memory, are made small or left as they
// were written; those that people write are set.
func TestFormulasAreBounded(t *testing.T) {
	for _, tex := range []string{`N(t) = N_0 e^{rt}`, `\frac{\ln 2}{r} \approx \frac{0.693}{0.025}`,
		`\begin{pmatrix} a & b \\ c & d \end{pmatrix}`, `\sum_{i=1}^{n} \sqrt{x_i^2 + y_i^2}`} {
		if set, width, height, _ := setFormula(t, tex); !set || width < 20 || height < 10 {
			t.Errorf("%s: %v %v %v", tex, set, width, height)
		}
	}
	nested := strings.Repeat(`\frac{1}{`, 500) + "x" + strings.Repeat("}", 500)
	for name, tex := range map[string]string{
		"a wide rule":     `\rule{100000em}{100000em}`,
		"a wide space":    `a\hspace{9999999em}b\kern 99999pt c`,
		"a high one":      `\rule[-99999em]{1em}{99999em}`,
		"raised":          `\raisebox{99999em}{x}`,
		"nested":          nested,
		"nested sizes":    strings.Repeat(`\Huge{`, 30) + "x" + strings.Repeat("}", 30),
		"macros":          `\def\a{xxxxxxxxxx}\def\b{\a\a\a\a\a\a\a\a\a\a}\def\c{\b\b\b\b\b\b\b\b\b\b}\def\d{\c\c\c\c\c\c\c\c\c\c}\d\d\d\d`,
		"a macro of self": `\def\a{\a\a}\a`,
		"very long":       strings.Repeat("x+", 20_000),
		"a long column":   `\begin{matrix}` + strings.Repeat(`x\\`, 900) + `\end{matrix}`,
		"spaced rows":     `\begin{matrix}a\\[99999em]b\end{matrix}`,
		"fences":          strings.Repeat(`\left(`, 200) + strings.Repeat(`\right)`, 200),
	} {
		began := time.Now()
		set, width, height, signs := setFormula(t, tex)
		if set && (width > 6000 || height > 40_000) || signs > 500_000 || time.Since(began) > 30*time.Second {
			t.Errorf("%s: %v, %v x %v pixels, %d signs, after %v", name, set, width, height, signs, time.Since(began))
		}
		t.Logf("%s: %v, %.0f x %.0f, %d signs", name, set, width, height, signs)
	}
	// Very many in one text.
	if n := eval[int](t, `
		const one = '<code data-tex="inline">x_{1}^{2}+\\frac{a}{b}</code> ';
		const d = document.createElement("div");
		d.innerHTML = logic.typeset(one.repeat(20000));
		return d.querySelectorAll("math").length`); n < 100 || n > 5000 {
		t.Errorf("%d of 20,000 are set", n)
	}
}
