WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "lane 2" AS (
  SELECT
    *
  FROM "routes"
), "stack" AS (
  SELECT
    CAST('Takings' AS TEXT) AS "lane",
    "route",
    "day",
    "amount",
    CAST(NULL AS TEXT) AS "zone",
    FALSE AS "~gap 1",
    FALSE AS "~gap 2",
    TRUE AS "~gap 3",
    0 AS "~part",
    "~row"
  FROM "lane"
  UNION ALL
  SELECT
    CAST('Routes' AS TEXT) AS "lane",
    "code" AS "route",
    CAST(NULL AS DATE) AS "day",
    CAST(NULL AS BIGINT) AS "amount",
    "zone",
    TRUE AS "~gap 1",
    TRUE AS "~gap 2",
    FALSE AS "~gap 3",
    1 AS "~part",
    "~row"
  FROM "lane 2"
), "stack once" AS (
  SELECT
    *
  FROM (
    SELECT
      *,
      ROW_NUMBER() OVER (
        PARTITION BY "route", "day", "amount", "zone", "~gap 1", "~gap 2", "~gap 3"
        ORDER BY "~part" ASC, "~row" ASC
      ) AS "~nr 4"
    FROM "stack"
  ) AS "w"
  WHERE
    "~nr 4" = 1
)
SELECT
  "lane" AS "lane",
  "route" AS "route",
  "day" AS "day",
  "amount" AS "amount",
  "zone" AS "zone"
FROM "stack once"
