package period

import "pikegate/core/civil"

// german has the phrases of German; the names are in core/civil.
func german() *language {
	return table("de", civil.OrderDMY, &saying{
		between: [3]string{" ", ". ", " "},
		all:     "alle Tage", since: "ab ", before: "vor ", through: " bis einschließlich ", days: "Tage", upTo: " bis einschließlich ",
		any: "an jedem Tag", fromTime: "von ", onDay: "am ", within1: "vom ",
	}, `
january: jänner
february: feber
march: maerz, mär, mrz
june: jun
july: jul
september: sep
saturday: sonnabend
day: tag, tage, tagen, tages
week: woche, wochen
month: monat, monate, monaten, monats
quarter: quartal, quartale, quartalen, quartals, vierteljahr, vierteljahre
half: halbjahr, halbjahre, halbjahren, halbjahres, halbjahrs
year: jahr, jahre, jahren, jahres
fiscal year: geschäftsjahr, geschäftsjahre, geschäftsjahren, geschäftsjahres, wirtschaftsjahr, wirtschaftsjahres
fiscal quarter: geschäftsquartal, geschäftsquartale, geschäftsquartalen, geschäftsquartals
fiscal period: geschäftsperiode, geschäftsperioden
working day: arbeitstag, arbeitstage, arbeitstagen, arbeitstages, arbeitstags
last: letzter, letzte, letztes, letzten, letztem, voriger, vorige, voriges, vorigen, vorigem, vergangener, vergangene, vergangenes, vergangenen, vergangenem
this: dieser, diese, dieses, diesen, diesem, laufender, laufende, laufendes, laufenden, laufendem, aktueller, aktuelle, aktuelles, aktuellen, aktuellem
next: nächster, nächste, nächstes, nächsten, nächstem, kommender, kommende, kommendes, kommenden, kommendem
first: erster, erste, erstes, ersten, erstem
second: zweiter, zweite, zweites, zweiten, zweitem
third: dritter, dritte, drittes, dritten, drittem
fourth: vierter, vierte, viertes, vierten, viertem
fifth: fünfter, fünfte, fünftes, fünften
sixth: sechster, sechste, sechstes, sechsten
seventh: siebter, siebte, siebtes, siebten
eighth: achter, achte, achtes, achten
ninth: neunter, neunte, neuntes, neunten
tenth: zehnter, zehnte, zehntes, zehnten
one: ein, eine, einem, einer, einen, eins
two: zwei
three: drei
four: vier
five: fünf
six: sechs
seven: sieben
eight: acht
nine: neun
ten: zehn
eleven: elf
twelve: zwölf
today: heute
yesterday: gestern
tomorrow: morgen
day-2: vorgestern
day+2: übermorgen
ago←: vor
before: vor dem, vor der
after: nach, nach dem, nach der
in←: in
since: seit, seit dem, seit der, ab, ab dem
from: von
from/of: vom
to: bis, bis zum, bis zur
through: bis einschließlich, bis einschließlich zum, bis und mit
to-date: bis heute, bis dato
between: zwischen, zwischen dem
and: und, und dem
on: am, an
including: einschließlich, inklusive
all: alle, alles, alle tage
start: anfang, beginn
end: ende
middle: mitte
week: kalenderwoche
cw: kw
of/~: des, der
~: die, das, den, dem, zum, zur, im
`)
}
