WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `formula` AS (
  SELECT
    `route`,
    `day`,
    `amount`,
    TRY_MULTIPLY(`amount`, CAST('2' AS BIGINT)) AS `twice`,
    `~row`
  FROM `lane`
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`,
  `twice` AS `twice`
FROM `formula`
