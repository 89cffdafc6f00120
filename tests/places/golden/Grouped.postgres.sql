WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "summary" AS (
  SELECT
    "route",
    MAX("amount") AS "max of amount",
    MIN("~row") AS "~first"
  FROM "lane"
  GROUP BY
    "route"
)
SELECT
  "route" AS "route",
  "max of amount" AS "max of amount"
FROM "summary"
