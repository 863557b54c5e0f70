import { type Template, templateSchema } from "../core/template/index.ts";

/** The templates that Nettlehost knows: what Pagewick and Heronpost ask for, as they do everywhere. */
export const labTemplates = (pagewick: string): readonly Template[] =>
  [
    {
      providerId: "pagewick.example",
      providerName: "Pagewick",
      serviceId: "site",
      serviceName: "A site of your own",
      version: 1,
      description: "Proves the domain to Pagewick, and points it at your site.",
      variableDescription: "claim: what is behind “pagewick-claim:”; site: the name of your site",
      records: [
        {
          type: "TXT",
          groupId: "claim",
          host: "_pagewick",
          data: "pagewick-claim:%claim%",
          ttl: 3600,
          txtConflictMatchingMode: "Prefix",
          txtConflictMatchingPrefix: "pagewick-claim:",
        },
        { type: "A", groupId: "site", host: "@", pointsTo: pagewick, ttl: 3600 },
        { type: "A", groupId: "site", host: "www", pointsTo: pagewick, ttl: 3600 },
        { type: "TXT", groupId: "site", host: "_wick", data: "pagewick-site=%site%", ttl: 3600, txtConflictMatchingMode: "All" },
      ],
    },
    {
      providerId: "heronpost.example",
      providerName: "Heronpost",
      serviceId: "sending",
      serviceName: "Newsletters",
      version: 1,
      description: "Lets Heronpost send your newsletters, signed with your domain.",
      variableDescription: "account: the short name of your account",
      syncPubKeyDomain: "heronpost.example",
      records: [
        {
          type: "CNAME",
          groupId: "keys",
          host: "hpa._domainkey",
          pointsTo: "%account%.ka.heronpost.example",
          ttl: 3600,
          essential: "Always",
        },
        {
          type: "CNAME",
          groupId: "keys",
          host: "hpb._domainkey",
          pointsTo: "%account%.kb.heronpost.example",
          ttl: 3600,
          essential: "Always",
        },
        { type: "SPFM", groupId: "keys", spfRules: "include:spf.heronpost.example" },
        { type: "CNAME", groupId: "bounce", host: "bounce", pointsTo: "return.heronpost.example", ttl: 3600 },
      ],
    },
  ].map((one) => templateSchema.parse(one));
