// Package ledger makes up the tables of the demo: what the association writes down of its
// hives, its members and its honey. They are the same every time.
package ledger

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"
)

// Hives are the hives on scales, with where they stand.
var Hives = []struct{ Name, Place string }{
	{"Willow", "Hollow Lane"}, {"Hazel", "Hollow Lane"}, {"Rowan", "Hollow Lane"}, {"Alder", "Mill Meadow"},
	{"Birch", "Mill Meadow"}, {"Thorn", "Larch Hill"}, {"Maple", "Larch Hill"}, {"Elder", "Vicarage Orchard"},
}

// Weights is the ledger of hive weights: three years, by day and hive, as CSV.
func Weights() []byte {
	chance := rand.New(rand.NewPCG(7, 11))
	var b bytes.Buffer
	b.WriteString("Day,Hive,Apiary,Weight (kg),Temperature (°C),Fed,Note\n")
	weight := make([]float64, len(Hives))
	for i := range weight {
		weight[i] = 27 + float64(i)*0.8
	}
	for day := time.Date(2023, 1, 1, 0, 0, 0, 0, time.UTC); day.Year() < 2026; day = day.AddDate(0, 0, 1) {
		season := math.Sin(2 * math.Pi * float64(day.YearDay()-105) / 365)
		warm := 9.5 + 9*season + 3*chance.NormFloat64()
		for i, h := range Hives {
			flow := -0.035 + 0.03*chance.NormFloat64()
			if m := day.Month(); m >= time.April && m <= time.July && warm > 12 {
				flow += 0.25 + 0.03*float64(i%4)
			}
			if day.Month() == time.August && day.Day() == 2 { // the honey is taken
				weight[i] -= 14 + 2*chance.Float64()
			}
			fed := day.Month() == time.September && day.Day()%5 == 0
			if fed {
				flow += 2.4
			}
			weight[i] = max(19, min(72, weight[i]+flow))
			note := ""
			switch n := chance.IntN(1000); {
			case n == 0:
				note = "scale was wet"
			case n <= 12 && n > 0 && day.Month() == time.May:
				note = "swarmed"
			case n == 13:
				note = "battery changed"
			}
			shown := fmt.Sprintf("%.1f", weight[i])
			if note == "scale was wet" {
				shown = "" // nothing was read
			}
			yes := "no"
			if fed {
				yes = "yes"
			}
			fmt.Fprintf(&b, "%s,%s,%s,%s,%.1f,%s,%s\n", day.Format(time.DateOnly), h.Name, h.Place, shown, warm, yes,
				note)
		}
	}
	return b.Bytes()
}

var (
	firsts = strings.Fields(`Ada Bram Cleo Dora Emil Fenn Greta Hugo Ines Jory Kit Lene Milo Nora Otis Pia Quin Rosa Sten
		Tilda Ude Vera Wim Xenia Yorick Zoe`)
	lasts = strings.Fields(`Ashdown Birkett Coldwell Dunmore Eastling Fairley Garrow Hexham Inskip Jessop Kirkwall
		Langley Marlow Northey Oakes Penfold Quayle Redfern Stanhope Thornley`)
	towns = []string{"Alder Vale", "Hollow Lane", "Mill End", "Larch Hill", "Upper Stane"}
)

// Courses are those that the association gives, with what they cost.
var Courses = []struct {
	Name string
	Fee  int
}{{"Beginners", 85}, {"Queen rearing", 60}, {"Mites and health", 25}, {"Mead and wax", 40}}

// Members is a workbook with a sheet of members and one of who took which course.
func Members() ([]byte, error) {
	chance := rand.New(rand.NewPCG(3, 5))
	f := excelize.NewFile()
	defer f.Close()
	day, err := f.NewStyle(&excelize.Style{NumFmt: 14})
	if err != nil {
		return nil, err
	}
	money := "#,##0.00 [$€]"
	euros, err := f.NewStyle(&excelize.Style{CustomNumFmt: &money})
	if err != nil {
		return nil, err
	}
	var wrong error
	put := func(sheet string, row int, cells ...any) {
		at, _ := excelize.CoordinatesToCellName(1, row)
		if err := f.SetSheetRow(sheet, at, &cells); err != nil {
			wrong = err
		}
	}
	if err := f.SetSheetName("Sheet1", "Members"); err != nil {
		return nil, err
	}
	put("Members", 1, "Members of the Alder Vale Beekeepers' Association, November 2026")
	put("Members", 3, "Member", "Name", "Town", "Joined", "Hives", "Fee paid")
	names := map[string]bool{}
	const members = 140
	for i := range members {
		name := ""
		for name == "" || names[name] {
			name = firsts[chance.IntN(len(firsts))] + " " + lasts[chance.IntN(len(lasts))]
		}
		names[name] = true
		joined := time.Date(2004+chance.IntN(22), time.Month(1+chance.IntN(12)), 1+chance.IntN(28), 0, 0, 0, 0,
			time.UTC)
		paid := "yes"
		if chance.IntN(8) == 0 {
			paid = "no"
		}
		put("Members", 4+i, 101+i, name, towns[chance.IntN(len(towns))], joined, chance.IntN(9)+chance.IntN(4), paid)
	}
	_ = f.SetCellStyle("Members", "D4", fmt.Sprint("D", 3+members), day)
	if _, err := f.NewSheet("Courses"); err != nil {
		return nil, err
	}
	put("Courses", 1, "Member", "Course", "Day", "Fee", "Passed")
	const taken = 260
	for i := range taken {
		c := Courses[chance.IntN(len(Courses))]
		passed := "yes"
		if chance.IntN(10) == 0 {
			passed = "no"
		}
		put("Courses", 2+i, 101+chance.IntN(members), c.Name,
			time.Date(2021+chance.IntN(5), time.Month(2+chance.IntN(9)),
				1+chance.IntN(28), 0, 0, 0, 0, time.UTC), c.Fee, passed)
	}
	_ = f.SetCellStyle("Courses", "C2", fmt.Sprint("C", 1+taken), day)
	_ = f.SetCellStyle("Courses", "D2", fmt.Sprint("D", 1+taken), euros)
	if wrong != nil {
		return nil, wrong
	}
	b, err := f.WriteToBuffer()
	if err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// Harvest is the honey by meadow and year, as people write such tables by hand: decimal
// commas, a title above, a sum below.
func Harvest() []byte {
	chance := rand.New(rand.NewPCG(2, 9))
	var b bytes.Buffer
	b.WriteString("Honey harvest by meadow;;;;\n;;;;\nMeadow;Year;Honey (kg);Jars;Main flower\n")
	flowers := []string{"lime", "heather", "clover", "rape", "bramble"}
	var kilos float64
	var jars int
	for i, meadow := range []string{"Mill Meadow", "Hollow Lane", "Larch Hill", "Vicarage Orchard", "Long Acre",
		"Church Field"} {
		for year := 2018; year <= 2025; year++ {
			kg := math.Round((40+15*float64(i%3)+20*chance.Float64())*10) / 10
			n := int(kg * 2)
			kilos, jars = kilos+kg, jars+n
			fmt.Fprintf(&b, "%s;%d;%s;%d;%s\n", meadow, year, strings.Replace(fmt.Sprintf("%.1f", kg), ".", ",", 1), n,
				flowers[(i+year)%len(flowers)])
		}
	}
	fmt.Fprintf(&b, "Total;;%s;%d;\n", strings.Replace(fmt.Sprintf("%.1f", kilos), ".", ",", 1), jars)
	return b.Bytes()
}
