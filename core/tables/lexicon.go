package tables

// The words by which the reader understands questions. They are English.

// measure is what is worked out of a column.
type measure string

const (
	counting  measure = "count"
	differing measure = "different"
	summing   measure = "sum"
	meaning   measure = "mean"
	middle    measure = "median"
	leasting  measure = "least"
	mosting   measure = "most"
	listing   measure = "list" // the values themselves, each once
	showing   measure = "show" // rows
	sharing   measure = "share"
	spreading measure = "spread" // standard deviation
	abouting  measure = "about"
)

// measures are words that say what is worked out.
var measures = map[string]measure{"total": summing, "sum": summing, "totals": summing, "overall": summing,
	"altogether": summing, "combined": summing,
	"average": meaning, "mean": meaning, "avg": meaning, "averages": meaning, "typical": meaning, "typically": meaning,
	"averaged": meaning, "median": middle, "minimum": leasting, "min": leasting, "maximum": mosting, "max": mosting,
	"percentage": sharing, "percent": sharing, "share": sharing, "proportion": sharing, "fraction": sharing,
	"deviation": spreading, "stddev": spreading}

// superlative is a word that asks for what is first by a column.
type superlative struct {
	way   int    // 1: the most first, -1: the least first
	about string // words that the column's title may have, "": it is named
	when  int    // the way by a time, where the column is one; 0: the same
}

var superlatives = map[string]superlative{
	"highest": {way: 1}, "most": {way: 1}, "largest": {way: 1, about: "size area population amount total"},
	"biggest":  {way: 1, about: "size area population amount total"},
	"greatest": {way: 1}, "maximum": {way: 1}, "max": {way: 1}, "best": {way: 1}, "top": {way: 1},
	"strongest": {way: 1},
	"lowest":    {way: -1}, "least": {way: -1}, "fewest": {way: -1}, "minimum": {way: -1}, "min": {way: -1},
	"worst": {way: -1}, "poorest": {way: -1}, "weakest": {way: -1},
	"smallest": {way: -1, about: "size area population amount total"},
	"heaviest": {way: 1, about: "weight mass wt kg lb"}, "lightest": {way: -1, about: "weight mass wt kg lb"},
	"oldest": {way: 1, about: "age old", when: -1}, "youngest": {way: -1, about: "age young", when: 1},
	"newest": {way: 1, about: "date year", when: 1}, "latest": {way: 1, about: "date day time year", when: 1},
	"last": {way: 1, about: "date day time year", when: 1}, "recent": {way: 1, about: "date day time year", when: 1},
	"earliest": {way: -1, about: "date day time year", when: -1},
	"first":    {way: -1, about: "date day time year", when: -1},
	"tallest":  {way: 1, about: "height tall"}, "shortest": {way: -1, about: "height length duration"},
	"thickest": {way: 1, about: "thickness depth"}, "thinnest": {way: -1, about: "thickness depth"},
	"longest": {way: 1, about: "length duration long time"}, "widest": {way: 1, about: "width"},
	"expensive": {way: 1, about: "price cost amount fee"}, "priciest": {way: 1, about: "price cost amount fee"},
	"dearest": {way: 1, about: "price cost amount fee"}, "cheapest": {way: -1, about: "price cost amount fee"},
	"fastest": {way: 1, about: "speed"}, "slowest": {way: -1, about: "speed"},
	"warmest": {way: 1, about: "temperature temp"}, "hottest": {way: 1, about: "temperature temp"},
	"coldest": {way: -1, about: "temperature temp"}, "richest": {way: 1, about: "income wealth gdp salary"},
	"deepest": {way: 1, about: "depth"}, "busiest": {way: 1}, "commonest": {way: 1}, "wettest": {way: 1, about: "rain"},
	"driest": {way: -1, about: "rain"},
}

// comparative is a word that compares with a number.
type comparative struct {
	sign  string
	about string
}

var comparatives = map[string]comparative{
	"over": {sign: ">"}, "above": {sign: ">"}, "exceeding": {sign: ">"}, "more": {sign: ">"}, "greater": {sign: ">"},
	"higher": {sign: ">"}, "larger": {sign: ">"}, "bigger": {sign: ">"}, "exceeds": {sign: ">"}, "exceed": {sign: ">"},
	"under": {sign: "<"}, "below": {sign: "<"}, "less": {sign: "<"}, "fewer": {sign: "<"}, "lower": {sign: "<"},
	"smaller": {sign: "<"},
	"heavier": {">", "weight mass wt kg lb"}, "lighter": {"<", "weight mass wt kg lb"}, "older": {">", "age"},
	"younger": {"<", "age"}, "taller": {">", "height"}, "shorter": {"<", "height length"},
	"longer": {">", "length duration"},
	"warmer": {">", "temperature temp"}, "hotter": {">", "temperature temp"}, "colder": {"<", "temperature temp"},
	"cooler": {"<", "temperature temp"}, "cheaper": {"<", "price cost"}, "faster": {">", "speed"},
	"slower": {"<", "speed"}, "dearer": {">", "price cost"},
}

// kindred are words of questions, with words that titles have for the same.
var kindred = map[string]string{
	"weight": "mass wt weight", "mass": "weight mass", "inhabitants": "population", "populated": "population",
	"inhabited": "population", "populous": "population", "deep": "depth", "wide": "width breadth", "height": "tall",
	"heavy": "weight mass", "weigh": "weight mass", "weighs": "weight mass", "weighed": "weight mass",
	"long": "length duration", "tall": "height", "old": "age", "expensive": "price cost", "cost": "price cost amount",
	"costs": "price cost amount", "cheap": "price cost", "fast": "speed", "warm": "temperature temp",
	"hot": "temperature temp", "cold": "temperature temp", "who": "name person member keeper teacher",
	"where": "place location site city town country region state meadow", "people": "population persons",
	"rain": "rainfall precipitation", "money": "amount price cost paid", "paid": "amount price fee", "pay": "price fee",
	"earn": "income salary wage", "sex": "gender", "gender": "sex", "men": "male", "women": "female",
	"kilograms": "kg", "kilos": "kg", "kilogram": "kg", "litres": "l liter", "miles": "mpg", "gallon": "mpg",
	"horsepower": "hp", "cylinders": "cyl", "gears": "gear", "mileage": "mpg", "consumption": "mpg",
}

// timeWords name parts of a day.
var timeWords = map[string]string{"year": "year", "years": "year", "yearly": "year", "annual": "year",
	"annually": "year",
	"month":    "month", "months": "month", "monthly": "month", "quarter": "quarter", "quarters": "quarter",
	"quarterly": "quarter", "week": "week", "weeks": "week", "weekly": "week", "weekday": "weekday",
	"weekdays": "weekday", "day": "day", "days": "day", "daily": "day", "date": "day", "dates": "day", "hour": "hour",
	"hours": "hour", "hourly": "hour"}

var monthNames = []string{"january", "february", "march", "april", "may", "june", "july", "august", "september",
	"october", "november", "december"}

// rowWords stand for the rows of a table.
var rowWords = set(`rows row entries entry records record lines line observations observation cases case items item
	measurements measurement readings data points times`)

// small words say nothing that the reader has to understand.
var smallWords = set(`a an the of in on at for to from by with and or is are was were be been being do does did has have
	had having there that this these those it its them they their which what who whom whose when where how many much
	any some all each every per i we you me my our can could would should will shall may please tell show give list
	find get me us s than then as so but not no if between into out about over under up down during within
	table sheet file dataset column columns value values number numbers amount level levels recorded measured observed
	found only also just still ever get got make made most least more less same different distinct unique whole entire
	single one ones compared compare versus vs across among against overall case went go gone came come see look
	looking want know exactly altogether here now else other others highest lowest first last top plot chart graph
	draw display grouped group split broken breakdown summary summarise summarize print count counts counted total
	shown answer question out gave gives given produced produce yielded yield brought bring filled fill took take taken sold
	lie lies fall falls belong belongs live lives living bought spent earned reached stood stand stands kept keep happened happen one were ones whole please`)

// intensive are words of titles whose values do not add up.
var intensive = set(`temperature temp price rate age height width length speed percent percentage share ratio score index
	weight wt mpg latitude longitude humidity pressure density mean average avg median grade level gdp rank rating
	hp horsepower depth temperatures`)
