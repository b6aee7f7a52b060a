import type { components } from "./schema";

type Schemas = components["schemas"];

// The server's own description: every list is always there, and an edit is one of
// its verbs with the fields of that verb.
export type Answer = Schemas["Answer"];
export type Site = Schemas["Site"];
export type Network = Schemas["Network"];
export type Router = Schemas["Router"];
export type Device = Schemas["Device"];
export type Interface = Schemas["Interface"];
export type Service = Schemas["Service"];
export type Forward = Schemas["Forward"];
export type OwnPort = Schemas["OwnPort"];
export type Snag = Schemas["Snag"];
export type Kindred = Schemas["Kindred"];
export type Group = Schemas["Group"];
export type Step = Schemas["Step"];
export type Summary = Schemas["Summary"];
export type Preview = Schemas["Preview"];
export type FoundList = Schemas["FoundList"];
export type ShownLine = Schemas["ShownLine"];
export type Evidence = Schemas["Evidence"];
export type Visit = Schemas["Visit"];
export type Maker = Schemas["Maker"];
export type Offer = Schemas["Offer"];
export type Guess = Schemas["GuessOf"];
export type Difference = Schemas["Difference"];
export type SurveyState = Schemas["SurveyState"];
export type Live = Schemas["Live"];
export type Freedom = Schemas["Freedom"];
export type Suggestion = Schemas["SuggestResponse"];
export type Fate = Schemas["Fate"];
export type Taken = Schemas["Taken"];
export type Edit = Schemas["Edit"];
export type Attached = Schemas["Attached"];
export type Drop = Schemas["Drop"];
export type Discrepancy = Schemas["Discrepancy"];
export type HeldState = Schemas["HeldState"];
export type Pulled = Schemas["Pulled"];
export type Pin = Schemas["Pin"];
export type By = Pin["by"];
export type Wants = NonNullable<Interface["wants"]>;
export type Protocol = Schemas["Protocol"];
export type Kind = Schemas["Kind"];
export type KindService = Schemas["KindService"];
export type Wanted = Schemas["Wanted"];
export type ListedPort = Schemas["ListedPort"];
