package period

import "pikegate/core/civil"

// french has the phrases of French; the names are in core/civil.
func french() *language {
	return table("fr", civil.OrderDMY, &saying{
		between: [3]string{". ", " ", " "}, first: "1er",
		all: "toutes les dates", since: "à partir du ", before: "avant le ", from: "du ", through: " au ", days: "jours", upTo: " jusqu'à ",
		any: "à toute date", fromTime: "du ", onDay: "le ", within1: "du ",
	}, `
january: jan
february: fevrier, fév
august: aout
december: decembre
day: jour, jours
week: semaine, semaines
month: mois
quarter: trimestre, trimestres
half: semestre, semestres
year: an, ans, année, années, annee, annees
fiscal year: exercice, exercices, année fiscale, année comptable
fiscal quarter: trimestre fiscal, trimestre comptable
fiscal period: période comptable, période fiscale
working day: jour ouvré, jours ouvrés, jour ouvrable, jours ouvrables
→last: dernier, dernière, derniers, dernières, derniere, dernieres, passé, passée, précédent, précédente
→next: prochain, prochaine, prochains, prochaines, suivant, suivante
→this: en cours, courant, courante, actuel, actuelle
this: ce, cet, cette
first: premier, première, premiere
second: deuxième, second, seconde
third: troisième
fourth: quatrième
fifth: cinquième
sixth: sixième
er: er, re, e, ème
one: un, une
two: deux
three: trois
four: quatre
five: cinq
six: six
seven day: sept jours
seven week: sept semaines
seven month: sept mois
seven year: sept ans
eight: huit
nine: neuf
ten: dix
eleven: onze
twelve: douze
today: aujourd ' hui
yesterday: hier
tomorrow: demain
day-2: avant - hier
day+2: après - demain, apres - demain
ago←: il y a
in←: dans
before: avant, avant le, avant la, avant l '
after: après, apres, après le, après la, après l '
since: depuis, depuis le, depuis la, depuis l ', à partir du, à partir de, a partir du, à compter du
from/of: du, de, de la, de l ', d '
to: au, à, à la, à l ', a
through: jusqu ' au, jusqu ' à, jusqu ' en
to-date: à ce jour, jusqu ' à aujourd ' hui, jusqu ' à ce jour
between: entre, entre le, entre la
and: et, et le, et la
on: en
including: y compris
all: tout, toutes, toutes les dates
start: début, debut, commencement
end: fin
middle: milieu
~: le, la, les, l ', des
`)
}
