import { Link as A, Box, Button, Flex, HStack, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api } from "../api/client";
import type { Summary } from "../api/model";
import { sitesQuery } from "../api/site";
import { Mono, Tag } from "../parts";
import { notice } from "../parts/notice";
import { clock, plural } from "../parts/words";

type CardProps = { site: Summary; here: boolean; onCopy: () => void; onRemove: () => void };

const above = { position: "relative", zIndex: 1 } as const;

/** SiteCard is a site in the list: what it is, what it asks for, and what can be done with it as a whole. */
export function SiteCard({ site: s, here, onCopy, onRemove }: CardProps) {
  return (
    <Box
      as="li"
      bg="card"
      border="1px solid"
      borderColor="hair"
      borderRadius="card"
      px="18px"
      py="12px"
      position="relative"
      _hover={{ borderColor: "brass.mark" }}
      data-site={s.id}
    >
      <Flex gap="6px 14px" alignItems="center" flexWrap="wrap">
        <Box flex="1 1 240px" minW={0}>
          {s.damaged ? (
            <Text fontWeight={700} overflowWrap="anywhere">
              {s.name}
            </Text>
          ) : (
            <A
              asChild
              textDecoration="none"
              _hover={{ textDecoration: "underline" }}
              color="inherit"
              fontWeight={700}
              fontSize="head"
              display="flex"
              alignItems="center"
              minH={{ base: "44px", md: 0 }}
              _after={{ content: '""', position: "absolute", inset: 0 }}
            >
              <Link to={`/s/${encodeURIComponent(s.id)}/survey`} title={s.name}>
                <Text as="span" truncate display="block">
                  {s.name}
                </Text>
              </Link>
            </A>
          )}
          <Text fontSize="label" color="muted">
            {s.visit ? `last visit ${clock(s.visit)} · ` : ""}changed {clock(s.changed)}
          </Text>
        </Box>
        <Box flex="0 0 150px">
          <Mono>{s.subnet}</Mono>
          <Text fontSize="label" color="muted">
            {s.damaged ? "" : plural(s.devices, "device")}
          </Text>
        </Box>
        <HStack flex="1 1 200px" flexWrap="wrap" gap="6px">
          {here && <Tag tone="chalk">this computer is here</Tag>}
          {s.damaged ? (
            <Tag tone="madder">cannot be read</Tag>
          ) : s.devices === 0 ? (
            <Tag tone="chalk">nothing found yet</Tag>
          ) : s.needPin > 0 ? (
            <Tag>{plural(s.needPin, "needs", "need")} a pin</Tag>
          ) : (
            <Tag tone="moss">all pinned</Tag>
          )}
          {s.stops > 0 && <Tag tone="madder">{plural(s.stops, "stops", "stop")} work</Tag>}
          {s.bites > 0 && <Tag>{s.bites} will bite</Tag>}
        </HStack>
        <HStack gap="14px" fontSize="small" flexWrap="wrap">
          <A
            {...above}
            href={`/api/sites/${encodeURIComponent(s.id)}/file`}
            download
            display="inline-flex"
            alignItems="center"
            minH={{ base: "44px", md: "24px" }}
            fontWeight={600}
            textDecoration="none"
            _hover={{ textDecoration: "underline" }}
            aria-label={`Save site file of ${s.name}`}
          >
            Save site file
          </A>
          {!s.damaged && (
            <Button
              variant="plain"
              fontSize="small"
              {...above}
              aria-label={`Copy ${s.name} as a template`}
              onClick={onCopy}
            >
              Copy
            </Button>
          )}
          <Button variant="plain" fontSize="small" {...above} aria-label={`Remove ${s.name}`} onClick={onRemove}>
            Remove
          </Button>
        </HStack>
      </Flex>
      {s.damaged && (
        <Text mt="6px" fontSize="small" color="madder" overflowWrap="anywhere">
          {s.damaged}. Save it as a file as it stands, or remove it; the other sites are not touched by it.
        </Text>
      )}
      {!s.damaged && s.notice && <Told site={s} />}
    </Box>
  );
}

/** Told is what the program has to tell of a site's data, until it is understood. */
function Told({ site }: { site: Summary }) {
  const client = useQueryClient();
  const understand = async () => {
    const { error } = await api.DELETE("/api/sites/{id}/notice", { params: { path: { id: site.id } } });
    if (error) notice.warn(error.detail ?? "That could not be noted.");
    await client.invalidateQueries({ queryKey: sitesQuery.queryKey });
  };
  return (
    <Text as="div" mt="6px" fontSize="small" color="muted" overflowWrap="anywhere">
      {site.notice}{" "}
      <Button variant="plain" {...above} onClick={understand}>
        Understood
      </Button>
    </Text>
  );
}
