package period

import "pikegate/core/civil"

// spanish has the phrases of Spanish; the names are in core/civil. "mar" is the month.
func spanish() *language {
	return table("es", civil.OrderDMY, &saying{
		between: [3]string{" ", " de ", " de "},
		all:     "todas las fechas", since: "a partir del ", before: "antes del ", from: "del ", through: " al ", days: "días", upTo: " hasta ",
		any: "en cualquier fecha", fromTime: "del ", onDay: "el ", within1: "del ",
	}, `
september: setiembre, sep, set
wednesday: miercoles, mie
saturday: sabado, sab
day: día, días, dia, dias
week: semana, semanas
month: mes, meses
quarter: trimestre, trimestres
half: semestre, semestres
year: año, años, ano, anos
fiscal year: ejercicio, ejercicios, año fiscal, años fiscales
fiscal quarter: trimestre fiscal, trimestres fiscales
fiscal period: período fiscal, periodo fiscal, períodos fiscales
working day: día hábil, días hábiles, dia habil, dias habiles, día laborable, días laborables, dia laborable, dias laborables
last: último, última, últimos, últimas, ultimo, ultima, ultimos, ultimas
→last: pasado, pasada, pasados, pasadas, anterior
→next: próximo, próxima, próximos, próximas, proximo, proxima, proximos, proximas, siguiente, siguientes, que viene
→this: actual, en curso
this: este, esta
first: primer, primero, primera
second: segundo, segunda
third: tercer, tercero, tercera
past week: última semana, ultima semana
past month: último mes, ultimo mes
past year: último año, ultimo año
last week of: última semana de, última semana del
last month of: último mes de, último mes del
last year of: último año de
fourth: cuarto, cuarta
fifth: quinto, quinta
sixth: sexto, sexta
er: º, ª, . º, . ª, er
one: un, una, uno
two: dos
three: tres
four: cuatro
five: cinco
six: seis
seven: siete
eight: ocho
nine: nueve
ten: diez
eleven: once
twelve: doce
today: hoy
yesterday: ayer
tomorrow: mañana, manana
day-2: anteayer, antes de ayer
day+2: pasado mañana
ago←: hace
in←: dentro de, en
before: antes de, antes del, antes de la
after: después de, después del, despues de, despues del, tras, tras el
since: desde, desde el, desde la, a partir de, a partir del
from/of: del, de, de la, de los
to: al, a, a la
through: hasta, hasta el, hasta la
to-date: hasta hoy, hasta la fecha, hasta el día de hoy
between: entre, entre el, entre la
and: y, y el, y la, e
including: incluido, incluyendo, incluso
all: todo, todas, todas las fechas
start: inicio, comienzo, principio, principios
end: fin, final, finales
middle: mitad, mediados
~: el, la, los, las
`)
}
