WITH `lane` AS (
  SELECT
    *
  FROM `takings`
), `split` AS (
  SELECT
    `day`,
    `amount`,
    NULLIF(`~text 1`, '') AS `route`,
    `~row`,
    `~nth 2`
  FROM (
    SELECT
      *
    FROM `lane` AS `r`
    LATERAL VIEW OUTER
    POSEXPLODE(SPLIT(`r`.`route`, CONCAT('\\Q', '-', '\\E'), -1)) p AS `~nth 2`, `~text 1`
  ) AS `w`
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`
FROM `split`
