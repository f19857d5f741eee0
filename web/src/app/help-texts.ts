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
      "A study can be saved as a ZIP and run at the command line, or taken in again on another machine.",
    ],
    words: [["Study file", "one document that says everything that was done, so that it can be run again."]],
  },
  intake: {
    title: "Intake",
    paragraphs: [
      "What arrived: every column of the file, under a short name made from its heading. The heading is kept as the question's text.",
      "A newer file of the same answers is looked at first: what is new in it, what it would stop, which figures it would change. It is taken over or turned down whole.",
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
      "Questions as they were asked, with their answers, codes and shares. Make an answer scale once and lay it on every question that was answered with it.",
      "Words become codes whole answer against whole answer. What fits nothing stays visible as a finding; it counts as missing until it is settled.",
    ],
    words: [
      ["Answer scale", "codes with labels, in order, and codes that mean no answer."],
      ["Ordered", "the answers have a direction, as from disagree to agree. Only ordered scales can be turned round."],
      ["Turn round", "codes are dealt out in reverse and labels go with them, so each answer keeps its label."],
      ["Band", "a number becomes categories: from (included) up to below (not included)."],
    ],
  },
  screening: {
    title: "Screening",
    paragraphs: [
      "What does not fit: codes that are not in the codebook, entries that are neither code nor number, staff tests, haste, entries that recur, straight lines, gaps. Each finding leads to its cells.",
      "A finding is settled for all cells alike, its cases are set aside by a rule, or it may stand with a reason; it comes back when it changes. Checks of whole entries need to know which columns hold status, identifier and times: say so under About, in the Codebook.",
      "Cases are set aside, never deleted: every step is an entry of the ledger that can be switched off.",
    ],
    words: [
      ["Set aside", "left out of everything that follows, with the reason kept."],
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
      "The design says how the sample was drawn. It is declared once and every table's standard errors use it.",
    ],
    words: [
      ["Base weight", "the inverse of a case's chance to be drawn; without one, every case starts at 1."],
      ["Margin", "a variable, or several crossed, whose population shares or counts are known."],
      [
        "Effective sample size",
        "(Σ w)² / Σ w²: how many equally weighted cases would be as precise, as far as weights go.",
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
      "Stub variables go down, banner variables across; the first column is everybody in the filter. Choose a figure to see what is behind it.",
      "A filter is a domain: nobody is removed, so standard errors stay right.",
    ],
    words: [
      ["Base", "the cases that answered, unweighted."],
      ["Design effect", "the variance over that of a simple random sample of the same size."],
      ["Logit, Wald, Wilson, beta", "ways to make an interval for a share; logit keeps it between 0 and 100."],
    ],
  },
  release: {
    title: "Release",
    paragraphs: ["Files to hand over. Making them again from the same study gives the same tables."],
    words: [["Methods note", "what was done: cases, exclusions, weighting, design, intervals, version."]],
  },
};
