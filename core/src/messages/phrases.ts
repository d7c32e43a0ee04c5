import type { Language } from '../people/language.ts';
import type { Phrases } from './speech.ts';

/** One form for one, another for more; Polish has a third, for 2 to 4. */
const count = (one: string, more: string) => (n: number) => `${n} ${n === 1 ? one : more}`;
const polish = (one: string, few: string, many: string) => (n: number) => {
  const isFew = n % 10 >= 2 && n % 10 <= 4 && !(n % 100 >= 12 && n % 100 <= 14);
  return `${n} ${n === 1 ? one : isFew ? few : many}`;
};
const times = (n: number | null, once: string, often: (n: number) => string): string =>
  n === null ? '' : `, ${n === 1 ? once : often(n)}`;

const nb: Phrases = {
  units: count('enhet', 'enheter'),
  unitsOf: (done, n) => `${done} av ${nb.units(n)}`,
  workingDays: (n, isAhead) => (isAhead ? `om ${count('arbeidsdag', 'arbeidsdager')(n)}` : `for ${count('arbeidsdag', 'arbeidsdager')(n)} siden`),
  beforeNextWorkingDay: 'før neste arbeidsdag',
  sinceLastWorkingDay: 'siden forrige arbeidsdag',
  at: (day, time) => `${day} kl. ${time}`,
  on: '',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'bestått' : 'ikke bestått'}`,
  waitsForMarking: 'venter på retting',
  outcomes: { met: 'bestått', 'not-met': 'ikke bestått', absent: 'ikke møtt' },
  noExpiry: 'utløper ikke',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Står du fast? Bare svar på denne e-posten${reader === null ? '' : `, ${reader} leser den`}.`,
  columns: { person: 'Navn', course: 'Kurs', due: 'Frist', late: 'Dager over fristen', told: 'Varslet', department: 'Avdeling', site: 'Arbeidssted', job: 'Stilling' },
  submissions: ['Navn', 'Prøve', 'Forsøk', 'Resultat', 'Levert'],
  timesAre: (place) => `Klokkeslett er tiden i ${place}.`,
  notTold: (why) => `ikke varslet: ${why}`,
  notToldYet: 'ikke varslet ennå',
  cameBack: (when) => `e-posten kom i retur ${when}`,
  holds: { leave: 'har permisjon', 'daily-limit': 'dagen er full', unreachable: 'e-post kommer i retur', 'missing-value': 'et felt mangler verdi', 'set-aside': 'det kunne ikke beregnes', 'on-hold': 'holdes tilbake' },
  opensFor: (span, n) => `kan åpnes i ${span} etter at meldingen ble sendt${times(n, 'én gang', (often) => `${often} ganger`)}`,
}; // prettier-ignore

const sv: Phrases = {
  units: count('del', 'delar'),
  unitsOf: (done, n) => `${done} av ${sv.units(n)}`,
  workingDays: (n, isAhead) => (isAhead ? `om ${count('arbetsdag', 'arbetsdagar')(n)}` : `för ${count('arbetsdag', 'arbetsdagar')(n)} sedan`),
  beforeNextWorkingDay: 'före nästa arbetsdag',
  sinceLastWorkingDay: 'sedan förra arbetsdagen',
  at: (day, time) => `${day} kl. ${time}`,
  on: '',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'godkänd' : 'inte godkänd'}`,
  waitsForMarking: 'väntar på rättning',
  outcomes: { met: 'godkänd', 'not-met': 'inte godkänd', absent: 'frånvarande' },
  noExpiry: 'löper inte ut',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Har du fastnat? Svara bara på mejlet${reader === null ? '' : `, ${reader} läser det`}.`,
  columns: { person: 'Namn', course: 'Kurs', due: 'Senast', late: 'Dagar för sent', told: 'Meddelad', department: 'Avdelning', site: 'Arbetsplats', job: 'Befattning' },
  submissions: ['Namn', 'Prov', 'Försök', 'Resultat', 'Inlämnat'],
  timesAre: (place) => `Klockslagen gäller ${place}.`,
  notTold: (why) => `inte meddelad: ${why}`,
  notToldYet: 'inte meddelad ännu',
  cameBack: (when) => `mejlet kom tillbaka ${when}`,
  holds: { leave: 'ledig', 'daily-limit': 'dagen är full', unreachable: 'mejl kommer tillbaka', 'missing-value': 'ett fält saknar värde', 'set-aside': 'det gick inte att räkna ut', 'on-hold': 'hålls tillbaka' },
  opensFor: (span, n) => `kan öppnas i ${span} efter att meddelandet skickades${times(n, 'en gång', (often) => `${often} gånger`)}`,
}; // prettier-ignore

const da: Phrases = {
  units: count('del', 'dele'),
  unitsOf: (done, n) => `${done} af ${da.units(n)}`,
  workingDays: (n, isAhead) => (isAhead ? `om ${count('arbejdsdag', 'arbejdsdage')(n)}` : `for ${count('arbejdsdag', 'arbejdsdage')(n)} siden`),
  beforeNextWorkingDay: 'før næste arbejdsdag',
  sinceLastWorkingDay: 'siden sidste arbejdsdag',
  at: (day, time) => `${day} kl. ${time}`,
  on: '',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'bestået' : 'ikke bestået'}`,
  waitsForMarking: 'venter på rettelse',
  outcomes: { met: 'bestået', 'not-met': 'ikke bestået', absent: 'ikke mødt' },
  noExpiry: 'udløber ikke',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Er du gået i stå? Bare svar på denne mail${reader === null ? '' : `, ${reader} læser den`}.`,
  columns: { person: 'Navn', course: 'Kursus', due: 'Frist', late: 'Dage over fristen', told: 'Varslet', department: 'Afdeling', site: 'Arbejdssted', job: 'Stilling' },
  submissions: ['Navn', 'Prøve', 'Forsøg', 'Resultat', 'Afleveret'],
  timesAre: (place) => `Klokkeslæt er tiden i ${place}.`,
  notTold: (why) => `ikke varslet: ${why}`,
  notToldYet: 'ikke varslet endnu',
  cameBack: (when) => `mailen kom retur ${when}`,
  holds: { leave: 'har orlov', 'daily-limit': 'dagen er fuld', unreachable: 'mail kommer retur', 'missing-value': 'et felt mangler en værdi', 'set-aside': 'det kunne ikke beregnes', 'on-hold': 'holdes tilbage' },
  opensFor: (span, n) => `kan åbnes i ${span} efter at beskeden blev sendt${times(n, 'én gang', (often) => `${often} gange`)}`,
}; // prettier-ignore

const de: Phrases = {
  units: count('Einheit', 'Einheiten'),
  unitsOf: (done, n) => `${done} von ${de.units(n)}`,
  workingDays: (n, isAhead) => `${isAhead ? 'in' : 'vor'} ${count('Arbeitstag', 'Arbeitstagen')(n)}`,
  beforeNextWorkingDay: 'vor dem nächsten Arbeitstag',
  sinceLastWorkingDay: 'seit dem letzten Arbeitstag',
  at: (day, time) => `${day} um ${time}`,
  on: 'am ',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'bestanden' : 'nicht bestanden'}`,
  waitsForMarking: 'wartet auf Bewertung',
  outcomes: { met: 'erfüllt', 'not-met': 'nicht erfüllt', absent: 'nicht erschienen' },
  noExpiry: 'läuft nicht ab',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Kommen Sie nicht weiter? Antworten Sie einfach${reader === null ? '' : `, ${reader} liest mit`}.`,
  columns: { person: 'Name', course: 'Kurs', due: 'Frist', late: 'Tage überfällig', told: 'Benachrichtigt', department: 'Abteilung', site: 'Standort', job: 'Funktion' },
  submissions: ['Name', 'Test', 'Versuch', 'Ergebnis', 'Abgegeben'],
  timesAre: (place) => `Uhrzeiten gelten für ${place}.`,
  notTold: (why) => `nicht benachrichtigt: ${why}`,
  notToldYet: 'noch nicht benachrichtigt',
  cameBack: (when) => `E-Mail kam zurück ${when}`,
  holds: { leave: 'beurlaubt', 'daily-limit': 'der Tag ist voll', unreachable: 'E-Mails kommen zurück', 'missing-value': 'einem Feld fehlt der Wert', 'set-aside': 'es ließ sich nicht berechnen', 'on-hold': 'wird zurückgehalten' },
  opensFor: (span, n) => `lässt sich nach dem Versand ${span} lang öffnen${times(n, 'einmal', (often) => `${often}-mal`)}`,
}; // prettier-ignore

const nl: Phrases = {
  units: count('onderdeel', 'onderdelen'),
  unitsOf: (done, n) => `${done} van ${nl.units(n)}`,
  workingDays: (n, isAhead) => (isAhead ? `over ${count('werkdag', 'werkdagen')(n)}` : `${count('werkdag', 'werkdagen')(n)} geleden`),
  beforeNextWorkingDay: 'voor de volgende werkdag',
  sinceLastWorkingDay: 'sinds de laatste werkdag',
  at: (day, time) => `${day} om ${time}`,
  on: 'op ',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'geslaagd' : 'niet geslaagd'}`,
  waitsForMarking: 'wacht op beoordeling',
  outcomes: { met: 'voldaan', 'not-met': 'niet voldaan', absent: 'afwezig' },
  noExpiry: 'verloopt niet',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Loop je vast? Beantwoord deze mail${reader === null ? '' : `, ${reader} leest hem`}.`,
  columns: { person: 'Naam', course: 'Cursus', due: 'Uiterlijk', late: 'Dagen te laat', told: 'Bericht gekregen', department: 'Afdeling', site: 'Locatie', job: 'Functie' },
  submissions: ['Naam', 'Toets', 'Poging', 'Resultaat', 'Ingeleverd'],
  timesAre: (place) => `Tijden zijn die van ${place}.`,
  notTold: (why) => `geen bericht: ${why}`,
  notToldYet: 'nog geen bericht',
  cameBack: (when) => `mail kwam terug ${when}`,
  holds: { leave: 'met verlof', 'daily-limit': 'de dag is vol', unreachable: 'mail komt terug', 'missing-value': 'een veld heeft geen waarde', 'set-aside': 'het kon niet worden berekend', 'on-hold': 'wordt tegengehouden' },
  opensFor: (span, n) => `opent tot ${span} na verzending${times(n, 'één keer', (often) => `${often} keer`)}`,
}; // prettier-ignore

const fr: Phrases = {
  units: (n) => `${n} ${n < 2 ? 'unité' : 'unités'}`,
  unitsOf: (done, n) => `${done} sur ${fr.units(n)}`,
  workingDays: (n, isAhead) => `${isAhead ? 'dans' : 'il y a'} ${n} ${n < 2 ? 'jour ouvré' : 'jours ouvrés'}`,
  beforeNextWorkingDay: 'avant le prochain jour ouvré',
  sinceLastWorkingDay: 'depuis le dernier jour ouvré',
  at: (day, time) => `${day} à ${time}`,
  on: 'le ',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'réussi' : 'non réussi'}`,
  waitsForMarking: 'en attente de correction',
  outcomes: { met: 'acquis', 'not-met': 'non acquis', absent: 'absent' },
  noExpiry: 'sans expiration',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Une question ? Répondez simplement à ce message${reader === null ? '' : `, ${reader} le lira`}.`,
  columns: { person: 'Nom', course: 'Formation', due: 'Échéance', late: 'Jours de retard', told: 'Prévenu', department: 'Service', site: 'Site', job: 'Poste' },
  submissions: ['Nom', 'Quiz', 'Essai', 'Résultat', 'Remis'],
  timesAre: (place) => `Les heures sont celles de ${place}.`,
  notTold: (why) => `non prévenu : ${why}`,
  notToldYet: 'pas encore prévenu',
  cameBack: (when) => `message revenu ${when}`,
  holds: { leave: 'en congé', 'daily-limit': 'la journée est pleine', unreachable: 'ses messages reviennent', 'missing-value': 'un champ est sans valeur', 'set-aside': 'le calcul a échoué', 'on-hold': 'envoi suspendu' },
  opensFor: (span, n) => `s’ouvre pendant ${span} après l’envoi${times(n, 'une fois', (often) => `${often} fois`)}`,
}; // prettier-ignore

const es: Phrases = {
  units: count('unidad', 'unidades'),
  unitsOf: (done, n) => `${done} de ${es.units(n)}`,
  workingDays: (n, isAhead) => `${isAhead ? 'dentro de' : 'hace'} ${count('día laborable', 'días laborables')(n)}`,
  beforeNextWorkingDay: 'antes del próximo día laborable',
  sinceLastWorkingDay: 'desde el último día laborable',
  at: (day, time) => `${day} a las ${time}`,
  on: 'el ',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'aprobado' : 'no aprobado'}`,
  waitsForMarking: 'pendiente de corrección',
  outcomes: { met: 'cumplido', 'not-met': 'no cumplido', absent: 'ausente' },
  noExpiry: 'sin caducidad',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. ¿Alguna duda? Responda a este mensaje${reader === null ? '' : `, lo leerá ${reader}`}.`,
  columns: { person: 'Nombre', course: 'Curso', due: 'Plazo', late: 'Días de retraso', told: 'Avisado', department: 'Departamento', site: 'Centro', job: 'Puesto' },
  submissions: ['Nombre', 'Cuestionario', 'Intento', 'Resultado', 'Entregado'],
  timesAre: (place) => `Las horas son las de ${place}.`,
  notTold: (why) => `sin avisar: ${why}`,
  notToldYet: 'aún sin avisar',
  cameBack: (when) => `el correo fue devuelto ${when}`,
  holds: { leave: 'de permiso', 'daily-limit': 'el día está completo', unreachable: 'su correo se devuelve', 'missing-value': 'un campo no tiene valor', 'set-aside': 'no se pudo calcular', 'on-hold': 'envío retenido' },
  opensFor: (span, n) => `se abre durante ${span} tras el envío${times(n, 'una vez', (often) => `${often} veces`)}`,
}; // prettier-ignore

const pl: Phrases = {
  units: polish('część', 'części', 'części'),
  unitsOf: (done, n) => `${done} z ${n} części`,
  workingDays: (n, isAhead) => {
    const days = polish('dzień roboczy', 'dni robocze', 'dni roboczych')(n);
    return isAhead ? `za ${days}` : `${days} temu`;
  },
  beforeNextWorkingDay: 'przed następnym dniem roboczym',
  sinceLastWorkingDay: 'od ostatniego dnia roboczego',
  at: (day, time) => `${day}, godz. ${time}`,
  on: '',
  result: (score, isPassed) => `${score} %, ${isPassed ? 'zaliczone' : 'niezaliczone'}`,
  waitsForMarking: 'czeka na ocenę',
  outcomes: { met: 'spełnione', 'not-met': 'niespełnione', absent: 'nieobecność' },
  noExpiry: 'bezterminowo',
  footer: (sender, organisation, reader) => `${sender}, ${organisation}. Masz pytania? Odpowiedz na tę wiadomość${reader === null ? '' : `, przeczyta ją ${reader}`}.`,
  columns: { person: 'Imię i nazwisko', course: 'Kurs', due: 'Termin', late: 'Dni po terminie', told: 'Powiadomienie', department: 'Dział', site: 'Miejsce pracy', job: 'Stanowisko' },
  submissions: ['Imię i nazwisko', 'Quiz', 'Próba', 'Wynik', 'Oddano'],
  timesAre: (place) => `Godziny podano według czasu: ${place}.`,
  notTold: (why) => `nie powiadomiono: ${why}`,
  notToldYet: 'jeszcze nie powiadomiono',
  cameBack: (when) => `wiadomość wróciła ${when}`,
  holds: { leave: 'urlop', 'daily-limit': 'limit na dzień', unreachable: 'wiadomości wracają', 'missing-value': 'pole nie ma wartości', 'set-aside': 'nie udało się obliczyć', 'on-hold': 'wysyłka wstrzymana' },
  opensFor: (span, n) => `można otworzyć przez ${span} od wysłania${times(n, 'jeden raz', (often) => `${often} razy`)}`,
}; // prettier-ignore

/** What messages say beside the words of their authors. English stands with the functions that all pages tell by. */
export const PHRASES: Readonly<Record<Exclude<Language, 'en'>, Phrases>> = { nb, sv, da, de, nl, fr, es, pl };
