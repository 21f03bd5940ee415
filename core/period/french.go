package period

import "pikegate/core/civil"

// french has names and abbreviations of months and weekdays from CLDR 48 (cldr-dates-full,
// fr, ca-gregorian) and some that are usual besides.
func french() *language {
	return table(civil.OrderDMY, `
january: janvier, janv, jan
february: février, fevrier, févr, fév
march: mars
april: avril, avr
may: mai
june: juin
july: juillet, juil
august: août, aout
september: septembre, sept
october: octobre, oct
november: novembre, nov
december: décembre, decembre, déc
sunday: dimanche, dim
monday: lundi, lun
tuesday: mardi, mar
wednesday: mercredi, mer
thursday: jeudi, jeu
friday: vendredi, ven
saturday: samedi, sam
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
