interface HelpText {
  title: string;
  paragraphs: string[];
  words: [word: string, meaning: string][];
}

/** Help for each station, by its address. */
export const HELP: Record<string, HelpText> = {
  studies: {
    title: "Studies",
    paragraphs: [
      "A study is one survey: its answers, what they mean, what was done to them, its weights, its tables. Drop a file of answers here to begin one.",
      "Every change is saved by itself; the line of counts says when. Where the server cannot be reached, changes wait on the page until it can. Where somebody changed the study first, your change is refused, and can be made of theirs. Undo goes back any number of changes.",
      "A study can be saved as a ZIP and run at the command line, or taken in again on another machine.",
    ],
    words: [["Study file", "one document that says everything that was done, so that it can be run again."]],
  },
  intake: {
    title: "Intake",
    paragraphs: [
      "What arrived: every column of the file, under a short name made from its heading. The heading is kept as the question's text.",
      "What was guessed of a file is shown and can be overruled before it is taken over: delimiter, encoding, sheet, rows of headings and which of them holds the names, how decimals are written, the kind of every column.",
      "A newer file of the same answers stands in their place or adds its records to them. It is looked at first: what is new in it, which entries of the ledger no longer fit, which figures it would change. It is taken over or turned down whole.",
      "A second file can be looked up: it joins columns such as strata and base weights to the cases by a key, for instance the district.",
    ],
    words: [
      ["Case", "one record of answers. Wholly blank records are no cases."],
      ["Kind", "a guess from the answers: a number only where every answer is one."],
    ],
  },
  codebook: {
    title: "Codebook",
    paragraphs: [
      "Questions as they were asked, with their answers, codes and shares; batteries as the grids they were. Make an answer scale once, from the words people used or as lines that are typed or pasted, and lay it on every question that was answered with it.",
      "Words become codes whole answer against whole answer. Before a scale is laid, each question says which answers fit; likely meanings are accepted by one key (a). What fits nothing stays visible as a finding; it counts as missing until it is settled. A scale that would change what a code means is refused.",
      "Every step shows old × new before it is taken, so that a wrong recode is seen. “Several at once” does one thing to many questions. The codebook goes out and comes in as CSV or as a table schema; a file changes only what it says differently.",
    ],
    words: [
      ["Answer scale", "codes with labels, in order, and codes that mean no answer."],
      ["Ordered", "the answers have a direction, as from disagree to agree. Only ordered scales can be turned round."],
      ["Turn round", "codes are dealt out in reverse and labels go with them, so each answer keeps its label."],
      ["Band", "a number becomes categories: from (included) up to below (not included)."],
      ["Battery", "neighbouring questions with a common stem and the same answers."],
      ["Level of measurement", "nominal, ordinal, interval or ratio; implied by kind and scale, unless it is said."],
      ["Formula", "names and functions are offered as you type; ↑ ↓ and Enter or Tab take one, Esc puts them away."],
    ],
  },
  screening: {
    title: "Screening",
    paragraphs: [
      "What does not fit: codes that are not in the codebook, entries that are neither code nor number, staff tests, haste, entries that recur, straight lines, gaps. Each finding leads to its cells.",
      "A finding is settled for all cells alike, its cases are set aside by a rule, or it may stand with a reason; it comes back when it changes. Checks of whole entries need to know which columns hold status, identifier and times: say so under About, in the Codebook.",
      "All cells shows every case as it stands after the ledger: sort by a heading, narrow by a condition, walk with the arrow keys, Page Up and Down, Home and End (with Ctrl to the very first and last). Enter changes the cell in hand: that one alone, or all that hold the same.",
      "Cases are set aside, never deleted: the flow of cases lists them by reason, and each can be taken back. What was left out shows item non-response by question, by case and by pattern.",
    ],
    words: [
      ["Set aside", "left out of everything that follows, with the reason kept."],
      ["Pattern", "questions that were left out together, and how many cases left out just these."],
      ["Rule", "a condition that must hold for every case; who breaks it is a finding."],
      [
        "Condition",
        "a formula such as seconds < 120 or status == 'Staff test'. A text is compared with a coded question's labels.",
      ],
    ],
  },
  weighting: {
    title: "Weighting",
    paragraphs: [
      "Raking multiplies the base weights, margin by margin, until each category has its target share. Targets are matched by label or code, in any order.",
      "Several weights can stand side by side; the design says which one the tables use. Limits hold weights within multiples of their mean: the curve shows what that buys in precision and which share it moves, before you choose.",
      "The design says how the sample was drawn and how standard errors are made. It is declared once and every table uses it.",
    ],
    words: [
      ["Base weight", "the inverse of a case's chance to be drawn; without one, every case starts at 1."],
      ["Margin", "a variable, or several crossed, whose population shares or counts are known."],
      [
        "Effective sample size",
        "(Σ w)² / Σ w²: how many equally weighted cases would be as precise, as far as weights go.",
      ],
      [
        "Non-response adjustment",
        "in cells of like people, those who answered take over the base weight of those who did not.",
      ],
      [
        "Limit",
        "the largest (or smallest) multiple of the mean weight that a case may have; the margins are still met.",
      ],
      [
        "Replicates",
        "the sample changed many times (a unit left out, units drawn again); how much an estimate varies among them is its standard error.",
      ],
      [
        "Taking the raking into account",
        "what the margins fix is no longer counted as uncertain; estimates that go with them get smaller standard errors.",
      ],
      [
        "Stratum, cluster",
        "the parts the population was divided into before drawing; the first-stage units drawn in them.",
      ],
      [
        "Population of units",
        "how many first-stage units each stratum has in all, for the finite population correction.",
      ],
    ],
  },
  tables: {
    title: "Tables",
    paragraphs: [
      "The plan is on the left: find, group, put in order (Alt and the arrows), make many at once, or read it from a file. The table in hand is counted at every change. T on a question in the Codebook opens its table by the usual banner.",
      "Stub variables go down, banner variables across; type a part of a name or of a question. Shift and Enter sets one within the one before. The first column is everybody in the filter; a filter is a domain: nobody is removed, so standard errors stay right.",
      "Choose a heading to sort by it, a figure to see what is behind it: its uncertainty, the other columns, the cases. P turns the table into a picture and back; saved, a picture brings its title and the table's notes with it. E and I show standard errors and intervals.",
      "A letter beside a figure names a column that it is larger than by more than sampling would explain. ° marks a weak figure, × a hidden one; the notes say why. Both follow rules under “For all tables”.",
    ],
    words: [
      ["Base", "the cases that answered, unweighted."],
      ["Design effect", "the variance over that of a simple random sample of the same size."],
      [
        "Effective base",
        "the base over the design effect: how many cases of a simple random sample would say as much.",
      ],
      ["Net", "several answers as one row, or one column, such as agree and strongly agree."],
      ["Hidden", "figures of few cases, and others from which those could be worked out."],
      ["% of cases, % of responses", "of those who answered the question; of all the answers they ticked."],
      ["Clearest of", "the sentences name the clearest difference, and hold it against all those it was picked from."],
      ["Logit, Wald, Wilson, beta", "ways to make an interval for a share; logit keeps it between 0 and 100."],
    ],
  },
  release: {
    title: "Release",
    paragraphs: ["Files to hand over. Making them again from the same study gives the same tables."],
    words: [["Methods note", "what was done: cases, exclusions, weighting, design, intervals, version."]],
  },
};
